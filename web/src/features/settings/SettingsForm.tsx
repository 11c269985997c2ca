import { type FormEvent, useEffect, useState } from "react";
import type { BulkResult, Person, Setting, Standing } from "../../api/client";
import { useView } from "../../app/view";
import { Button, Failure } from "../../ui/controls";
import { many } from "../../ui/time";
import { LayersTable } from "./LayersTable";
import { kindOf, onLayer } from "./layer";
import { useBulk, useOwnDraft, useSettings, useStanding } from "./queries";
import { Setter } from "./Setter";
import { TableEditor } from "./TableEditor";

/** What was typed; null: it is to say nothing itself. */
type Touched = Record<string, string | null>;

/** The group of the form that shows where all settings come from. */
const layersGroup = "Layers";

/** Settings on which it depends what others there are: the form shows the others as if these were set already. */
const deciding = ["mode", "bundle"];

/**
 * All settings of one thing or of many of a kind, group by group. Each starts as it is; what is touched goes into the draft
 * of who edits, and what cannot be set somewhere is told thing by thing.
 */
export function SettingsForm({ on, me, hide = [] }: { on: string[]; me: Person; hide?: string[] }) {
  const [touched, setTouched] = useState<Touched>({});
  const [results, setResults] = useState<BulkResult[]>([]);
  const [chosen, setGroup] = useView("settings");
  const [, setTray] = useView("tray");
  const settings = useSettings();
  const bulk = useBulk();
  const draft = useOwnDraft(me);
  const pretend = Object.fromEntries(
    deciding.flatMap((d) => (typeof touched[d] === "string" ? [[d, touched[d]]] : [])),
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

  const kind = kindOf(on[0] ?? "");
  const about = (st: Standing): Setting | undefined =>
    settings.data.items.find((s) => s.name === st.setting && s.on.includes(kind)) ??
    settings.data.items.find((s) => s.name === st.setting);
  const fields = standing.data.items.flatMap((st) => {
    const s = about(st);
    return s && s.type !== "table" && !hide.includes(s.name) && (st.applies > 0 || touched[s.name] !== undefined)
      ? [{ s, st }]
      : [];
  });
  const layered = on.length === 1 && !onLayer(on);
  const tables = on.length === 1 ? settings.data.items.filter((s) => s.type === "table" && s.on.includes(kind)) : [];
  const groups = [
    ...new Set([...fields.map((f) => f.s.group), ...tables.map((t) => t.group)]),
    ...(layered && fields.length > 0 ? [layersGroup] : []),
  ];
  const group = groups.includes(chosen) ? chosen : (groups[0] ?? "");
  const count = Object.keys(touched).length;
  const set = (name: string, value: string | null | undefined) => {
    const next = { ...touched };
    if (value === undefined) delete next[name];
    else next[name] = value;
    setTouched(next);
  };
  const setMany = (more: Record<string, string | null | undefined>) =>
    setTouched((old) => {
      const next: Touched = {};
      for (const [name, value] of Object.entries({ ...old, ...more })) if (value !== undefined) next[name] = value;
      return next;
    });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    bulk.mutate(
      {
        change: draft,
        on,
        set: Object.fromEntries(Object.entries(touched).flatMap(([k, v]) => (v === null ? [] : [[k, v]]))),
        inherit: Object.keys(touched).filter((k) => touched[k] === null),
      },
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
            const n =
              fields.filter((f) => f.s.group === g && touched[f.s.name] !== undefined).length +
              tables
                .filter((t) => t.group === g)
                .flatMap((t) => Object.keys(touched).filter((k) => k.startsWith(`${t.name}/`))).length;
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
      {group === layersGroup && (
        <LayersTable rows={fields} touched={touched} follow={(name, on) => set(name, on ? null : undefined)} />
      )}
      <div className="grid grid-cols-[repeat(auto-fill,minmax(165px,1fr))] gap-x-3 gap-y-2">
        {fields
          .filter((f) => f.s.group === group)
          .map(({ s, st }) => (
            <Setter
              key={s.name}
              s={s}
              st={st}
              on={on.length}
              layer={onLayer(on)}
              value={touched[s.name]}
              set={(v) => set(s.name, v)}
            />
          ))}
      </div>
      {tables
        .filter((t) => t.group === group)
        .map((t) => (
          <TableEditor
            key={`${which} ${t.name}`}
            s={t}
            standing={standing.data.items}
            layer={onLayer(on)}
            touched={touched}
            set={setMany}
          />
        ))}
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
            : onLayer(on)
              ? many(count, "setting")
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
