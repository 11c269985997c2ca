import { clsx } from "clsx";
import { RotateCcw } from "lucide-react";
import { type FormEvent, useEffect, useState } from "react";
import type { BulkResult, Person, Setting, Standing } from "../../api/client";
import { useView } from "../../app/view";
import { Button, Failure, Field, inputClass } from "../../ui/controls";
import { many } from "../../ui/time";
import { useBulk, useOwnDraft, useSettings, useStanding } from "./queries";

type Touched = Record<string, string>;

/** Settings on which it depends what others there are: the form shows the others as if these were set already. */
const deciding = ["mode", "bundle"];

/**
 * All settings of one thing or of many of a kind, group by group. Each starts as it is; what is touched goes into the draft
 * of who edits, and what cannot be set somewhere is told thing by thing.
 */
export function SettingsForm({ on, me, hide = [] }: { on: string[]; me: Person; hide?: string[] }) {
  const [touched, setTouched] = useState<Touched>({});
  const [results, setResults] = useState<BulkResult[]>([]);
  const [chosen, setGroup] = useView("group");
  const [, setTray] = useView("tray");
  const settings = useSettings();
  const bulk = useBulk();
  const draft = useOwnDraft(me);
  const pretend = Object.fromEntries(
    deciding.filter((d) => touched[d] !== undefined).map((d) => [d, touched[d] ?? ""]),
  );
  const standing = useStanding(on, draft, pretend);
  const which = on.join(",");
  // biome-ignore lint/correctness/useExhaustiveDependencies: another selection begins anew
  useEffect(() => {
    setTouched({});
    setResults([]);
  }, [which]);
  if (settings.isError) return <Failure error={settings.error} retry={() => void settings.refetch()} />;
  if (standing.isError) return <Failure error={standing.error} retry={() => void standing.refetch()} />;
  if (!settings.data || !standing.data) return <p className="text-soft">Reading what can be set…</p>;

  const about = (st: Standing): Setting | undefined => settings.data.items.find((s) => s.name === st.setting);
  const fields = standing.data.items.flatMap((st) => {
    const s = about(st);
    return s && !hide.includes(s.name) && (st.applies > 0 || touched[s.name] !== undefined) ? [{ s, st }] : [];
  });
  const groups = [...new Set(fields.map((f) => f.s.group))];
  const group = groups.includes(chosen) ? chosen : (groups[0] ?? "");
  const count = Object.keys(touched).length;
  const set = (name: string, value: string | undefined) => {
    const next = { ...touched };
    if (value === undefined) delete next[name];
    else next[name] = value;
    setTouched(next);
  };
  const submit = (e: FormEvent) => {
    e.preventDefault();
    bulk.mutate(
      { change: draft, on, set: touched },
      {
        onSuccess: (answer) => {
          setResults(answer.results.filter((r) => r.outcome === "refused"));
          if (!answer.change) return; // nothing could be set: what was typed stays
          setTouched({});
          setTray(String(answer.change.number));
        },
      },
    );
  };
  if (groups.length === 0) return <p className="text-soft">Nothing can be set there.</p>;
  return (
    <form onSubmit={submit} className="min-w-0">
      {groups.length > 1 && (
        <fieldset className="mb-2 flex flex-wrap gap-1" aria-label="Groups of settings">
          {groups.map((g) => {
            const n = fields.filter((f) => f.s.group === g && touched[f.s.name] !== undefined).length;
            return (
              <button
                key={g}
                type="button"
                aria-pressed={g === group}
                onClick={() => setGroup(g)}
                className="h-6 rounded-sm border border-rule px-2 text-sm hover:border-soft aria-pressed:border-accent aria-pressed:font-semibold"
              >
                {g}
                {n > 0 && <span className="ml-1 text-accent">{n}</span>}
              </button>
            );
          })}
        </fieldset>
      )}
      <div className="grid grid-cols-[repeat(auto-fill,minmax(165px,1fr))] gap-x-3 gap-y-2">
        {fields
          .filter((f) => f.s.group === group)
          .map(({ s, st }) => (
            <Setter key={s.name} s={s} st={st} on={on.length} value={touched[s.name]} set={(v) => set(s.name, v)} />
          ))}
      </div>
      {bulk.isError && (
        <p role="alert" className="mt-2 text-down">
          {bulk.error.message}
        </p>
      )}
      <Refused results={results} of={on.length} />
      <div className="mt-2.5 flex flex-wrap items-center gap-3">
        <Button type="submit" kind="main" disabled={count === 0 || bulk.isPending}>
          {draft ? `Add to draft ${draft}` : "Put into a new draft"}
        </Button>
        <span className="text-sm text-soft">
          {count === 0
            ? "Nothing is sent to a device yet: edits collect in a draft."
            : `${many(count, "setting")} on ${many(on.length, "thing")}`}
        </span>
      </div>
    </form>
  );
}

function Refused({ results, of }: { results: BulkResult[]; of: number }) {
  if (results.length === 0) return null;
  return (
    <div role="alert" className="mt-2 max-h-40 overflow-auto rounded border border-degraded px-2 py-1.5 text-sm">
      <p className="font-medium">
        {results.length === of ? "Nothing was set:" : `${results.length} of ${of} were left out:`}
      </p>
      <ul>
        {results.map((r) => (
          <li key={r.on} className="grid grid-cols-[minmax(0,auto)_minmax(0,1fr)] gap-2">
            <span className="font-mono">{r.on}</span>
            <span>{r.why}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** How things stand: one value, or the mix with its counts. */
function standsAs(st: Standing): { text: string; mixed: boolean } {
  const shown = st.values.slice(0, 4).map((v) => `${v.value || "empty"} (${v.count})`);
  if (st.values.length <= 1) return { text: st.values[0]?.value || "empty", mixed: false };
  return { text: shown.join(", ") + (st.values.length > 4 ? ", …" : ""), mixed: true };
}

function Setter({
  s,
  st,
  on,
  value,
  set,
}: {
  s: Setting;
  st: Standing;
  on: number;
  value: string | undefined;
  set: (value: string | undefined) => void;
}) {
  const now = standsAs(st);
  const only = st.applies < on ? `, on ${st.applies} of ${on}` : "";
  const unit = s.unit && /^\d/.test(now.text) ? ` ${s.unit}` : "";
  const options: [string, string][] = [
    ...(st.offers ?? []).map((o): [string, string] => [o.value, o.text ? `${o.value} ${o.text}` : o.value]),
    ...(s.choices ?? []).map((c): [string, string] => [c, c]),
  ];
  const pick = s.type === "switch" || s.type === "choice" || s.type === "name" || (s.type === "vlan" && st.offers);
  const className = clsx(inputClass, value !== undefined && "!border-accent");
  const common = { className, value: value ?? "", title: s.form };
  return (
    <Field
      label={s.title}
      meaning={`${s.name}: ${s.help}`}
      help={
        <span className="flex items-center gap-1">
          <span className="truncate" title={`${now.text}${only}`}>
            {value === undefined
              ? `${now.mixed ? "mixed: " : "now "}${now.text}${unit}${only}`
              : `was ${now.text}${unit}`}
          </span>
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
          <select id={id} aria-describedby={by} {...common} onChange={(e) => set(e.target.value || undefined)}>
            <option value="">keep as it is</option>
            {options.map(([v, word]) => (
              <option key={v} value={v}>
                {word}
              </option>
            ))}
          </select>
        ) : s.type === "rules" ? (
          <textarea
            id={id}
            aria-describedby={by}
            {...common}
            rows={5}
            className={clsx(className, "!h-auto font-mono text-sm")}
            placeholder={now.mixed ? "keep as it is" : now.text}
            onChange={(e) => set(e.target.value)}
          />
        ) : (
          <>
            <input
              id={id}
              aria-describedby={by}
              {...common}
              list={options.length > 0 ? `${id}-words` : undefined}
              placeholder="keep as it is"
              onChange={(e) => set(e.target.value === "" && s.type !== "text" ? undefined : e.target.value)}
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
