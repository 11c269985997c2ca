import { clsx } from "clsx";
import { Layers, RotateCcw } from "lucide-react";
import { Popover } from "radix-ui";
import type { Setting, Standing } from "../../api/client";
import { Button, Field, inputClass } from "../../ui/controls";
import { shown } from "../../ui/secret";
import { holdsBy, layerWord } from "./layer";

/** How things stand: one value, or the mix with its counts. */
function standsAs(st: Standing, layer: boolean): { text: string; mixed: boolean } {
  const word = (value?: string) => shown(value ?? "") || "empty";
  if (layer) return { text: st.values[0] ? word(st.values[0].value) : "nothing", mixed: false };
  if (st.values.length <= 1) return { text: word(st.values[0]?.value), mixed: false };
  const some = st.values.slice(0, 4).map((v) => `${word(v.value)} (${v.count})`);
  return { text: some.join(", ") + (st.values.length > 4 ? ", …" : ""), mixed: true };
}

/** One setting on a form: how it stands, where that comes from, and what it is to be. null: it is to say nothing itself. */
export function Setter({
  s,
  st,
  on,
  layer,
  value,
  set,
}: {
  s: Setting;
  st: Standing;
  on: number;
  layer: boolean;
  value: string | null | undefined;
  set: (value: string | null | undefined) => void;
}) {
  const now = standsAs(st, layer);
  const silent = layer && st.values.length === 0;
  const only = st.applies < on ? `, on ${st.applies} of ${on}` : "";
  const unit = s.unit && /^\d/.test(now.text) ? ` ${s.unit}` : "";
  const options: [string, string][] = [
    ...(st.offers ?? []).map((o): [string, string] => [o.value, o.text ? `${o.value} ${o.text}` : o.value]),
    ...(s.choices ?? []).map((c): [string, string] => [c, c]),
  ];
  const pick = s.type === "switch" || s.type === "choice" || s.type === "name" || (s.type === "vlan" && st.offers);
  const className = clsx(inputClass, value !== undefined && "!border-accent");
  // One thing shows what it has, to be edited; several, which may differ, are kept as they are until a value is chosen.
  const current =
    on === 1 && s.type !== "secret" && !silent && st.values.length === 1 ? (st.values[0]?.value ?? "") : undefined;
  const untouched =
    s.type === "secret" ? "unchanged" : silent ? "not set here" : current === undefined ? "keep as it is" : "";
  const edit = (v: string | undefined) => set(v === current ? undefined : v);
  const common = {
    className,
    value: value === null ? "" : (value ?? current ?? ""),
    title: s.form,
    disabled: value === null,
  };
  const by = holdsBy(st);
  const holds = by === "default" && st.layers.length === 1 && (st.says?.length ?? 0) <= 1 ? undefined : by;
  return (
    <Field
      label={s.title}
      meaning={`${s.name}: ${s.help}`}
      help={
        <span className="flex items-center gap-1">
          <span className="truncate" title={silent ? s.help : `${now.text}${only}`}>
            {value === undefined
              ? silent
                ? s.default
                  ? `default: ${s.default}`
                  : "no default"
                : current === undefined
                  ? `${now.mixed ? "mixed: " : layer ? "set to " : "now "}${now.text}${unit}${only}`
                  : layer
                    ? `set to ${now.text}${unit}`
                    : [s.unit, s.default && s.default !== current ? `default: ${s.default}` : ""]
                        .filter(Boolean)
                        .join(", ")
              : value !== null && silent
                ? s.default
                  ? `default: ${s.default}`
                  : "no default"
                : value === null
                  ? `will be unset, was ${now.text}${unit}`
                  : `was ${now.text}${unit}`}
          </span>
          {value === undefined && !layer && holds && (
            <Origin s={s} st={st} holds={holds} follow={() => set(null)} several={on > 1} />
          )}
          {value === undefined && layer && st.values.length > 0 && (
            <button
              type="button"
              onClick={() => set(null)}
              title="Unset it"
              aria-label={`Unset ${s.title}`}
              className="shrink-0 text-accent"
            >
              unset
            </button>
          )}
          {value !== undefined && (
            <button
              type="button"
              onClick={() => set(undefined)}
              title="Keep it as it is"
              aria-label={`Keep ${s.title} as it is`}
              className="shrink-0 text-accent"
            >
              <RotateCcw size={11} aria-hidden />
            </button>
          )}
        </span>
      }
    >
      {(id, by) =>
        pick ? (
          <select id={id} aria-describedby={by} {...common} onChange={(e) => edit(e.target.value || undefined)}>
            {untouched && <option value="">{untouched}</option>}
            {current !== undefined && !options.some(([v]) => v === current) && (
              <option value={current}>{now.text}</option>
            )}
            {options.map(([v, word]) => (
              <option key={v} value={v}>
                {word}
              </option>
            ))}
          </select>
        ) : (
          <>
            <input
              id={id}
              aria-describedby={by}
              {...common}
              type={s.type === "secret" ? "password" : undefined}
              autoComplete={s.type === "secret" ? "new-password" : undefined}
              list={options.length > 0 ? `${id}-words` : undefined}
              placeholder={untouched}
              onChange={(e) =>
                edit(e.target.value === "" && s.type !== "text" && current === undefined ? undefined : e.target.value)
              }
              onKeyDown={(e) => e.key === "Escape" && set(undefined)}
            />
            {options.length > 0 && (
              <datalist id={`${id}-words`}>
                {options.map(([v, word]) => (
                  <option key={v} value={v}>
                    {word}
                  </option>
                ))}
              </datalist>
            )}
          </>
        )
      }
    </Field>
  );
}

/** Where the value of a setting comes from, and what the other layers say. */
function Origin({
  s,
  st,
  holds,
  follow,
  several,
}: {
  s: Setting;
  st: Standing;
  holds: string;
  follow: () => void;
  several: boolean;
}) {
  const own = st.layers.some((l) => l.value === "device");
  const says = [...(st.says ?? [])].reverse();
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <button
          type="button"
          className={clsx(
            "inline-flex max-w-[110px] shrink-0 items-center gap-0.5 rounded-sm border border-rule px-1 hover:border-soft",
            holds === "drift" && "border-degraded text-degraded",
          )}
        >
          <Layers size={10} aria-hidden />
          <span className="truncate">{st.layers.length > 1 ? `${st.layers.length} layers` : layerWord(holds)}</span>
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          className="z-50 w-72 rounded border border-rule bg-raised p-2 text-sm shadow-lg"
          aria-label={`Where ${s.title} comes from`}
        >
          <p className="mb-1 font-semibold">{s.title}</p>
          {several || says.length === 0 ? (
            <ul>
              {st.layers.map((l) => (
                <li key={l.value} className="flex justify-between gap-2">
                  <span>{layerWord(l.value)}</span>
                  <span className="text-soft">{l.count}</span>
                </li>
              ))}
            </ul>
          ) : (
            <ol>
              {says.map((say, i) => (
                <li key={say.layer} className={clsx("flex justify-between gap-2", i > 0 && "text-soft line-through")}>
                  <span className="truncate">{layerWord(say.layer)}</span>
                  <span className="truncate font-mono" title={say.change ? `by change ${say.change}` : undefined}>
                    {say.value || "empty"}
                  </span>
                </li>
              ))}
            </ol>
          )}
          {holds === "drift" && (
            <p className="mt-1 text-degraded">It runs {st.values[0]?.value || "nothing"}, which no layer says.</p>
          )}
          {holds === "trial" && <p className="mt-1 text-soft">On trial it runs {st.values[0]?.value || "nothing"}.</p>}
          {own && (
            <Popover.Close asChild>
              <Button className="mt-2 w-full" onClick={follow}>
                Follow the layers below
              </Button>
            </Popover.Close>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
