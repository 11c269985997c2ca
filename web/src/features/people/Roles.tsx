import { clsx } from "clsx";
import { Eye, Plus, Trash2 } from "lucide-react";
import { useState } from "react";
import { allowed, type Person, type Right, type Role, type Rule, tryRole } from "../../api/client";
import { useView } from "../../app/view";
import { Button, Empty, Failure, Field, inputClass, Panel } from "../../ui/controls";
import { many } from "../../ui/time";
import { useMeanings, usePutRole, useRemoveRole, useRoles } from "./queries";

const verbs = ["see", "operate", "change", "administer"] as const;

export function Roles({ me }: { me: Person }) {
  const roles = useRoles();
  const [name, setName] = useView("role", "administrator");
  const [draft, setDraft] = useState<Role | null>(null);
  const mayEdit = allowed(me, "administer", "people");
  if (roles.isError) return <Failure error={roles.error} retry={() => void roles.refetch()} />;
  const list = roles.data?.items ?? [];
  const role = draft ?? list.find((r) => r.name === name);
  const fresh = (from?: Role): Role => ({
    name: "",
    title: from ? `like ${from.name}` : "",
    rules: from ? from.rules : [{ effect: "allow", verbs: ["see"], features: [], where: "" }],
    ready: false,
    people: [],
    grants: [],
  });
  return (
    <div className="grid items-start gap-3 lg:grid-cols-[260px_minmax(0,1fr)]">
      <Panel
        title={many(list.length, "role")}
        aside={
          mayEdit && (
            <Button kind="main" className="h-6" onClick={() => setDraft(fresh())}>
              <Plus size={14} aria-hidden /> Make
            </Button>
          )
        }
      >
        <ul>
          {list.map((r) => (
            <li key={r.name}>
              <button
                type="button"
                aria-current={!draft && r.name === name}
                onClick={() => {
                  setDraft(null);
                  setName(r.name);
                }}
                className={clsx(
                  "block w-full border-l-[3px] px-3 py-1.5 text-left",
                  !draft && r.name === name
                    ? "border-accent bg-buff text-buff-ink"
                    : "border-transparent hover:bg-ground",
                )}
              >
                <span className="flex justify-between gap-2 font-medium">
                  {r.name}
                  <span className="font-normal text-soft">{r.ready ? "ready" : "own"}</span>
                </span>
                <span className="block truncate text-sm text-soft">
                  {r.people.length > 0 ? r.people.join(", ") : "nobody"}
                </span>
              </button>
            </li>
          ))}
        </ul>
      </Panel>
      {!role ? (
        <Empty title="There is no such role">Choose one on the left.</Empty>
      ) : (
        <div className="grid gap-3">
          {draft || (mayEdit && !role.ready) ? (
            <RoleForm
              key={draft ? "draft" : role.name}
              role={role}
              isNew={Boolean(draft)}
              done={(made) => {
                setDraft(null);
                setName(made);
              }}
            />
          ) : (
            <Panel title={`${role.name}: ${role.title}`}>
              <ul className="grid gap-1 px-3 py-2 font-mono text-sm">
                {role.rules.map((r) => (
                  <li key={r.sentence}>{r.sentence}</li>
                ))}
              </ul>
            </Panel>
          )}
          {!draft && (
            <Panel title="What the rules come to">
              <Grants rights={role.grants} />
            </Panel>
          )}
          {!draft && mayEdit && (
            <div className="flex gap-2">
              <Button onClick={() => tryRole(role.name)}>
                <Eye size={14} aria-hidden /> Try this role
              </Button>
              <Button onClick={() => setDraft(fresh(role))}>Make one like it</Button>
            </div>
          )}
        </div>
      )}
    </div>
  );
}

/** Which verbs there are for which features: yes, within a selector, no, or not there to be done. */
export function Grants({ rights }: { rights: Right[] }) {
  const meanings = useMeanings();
  const features = [...new Set(meanings.data?.items.map((m) => m.feature))];
  const verbHead = "h-[30px] px-3 text-left text-sm font-medium text-soft";
  return (
    <table className="w-full border-collapse">
      <thead>
        <tr className="border-b border-rule">
          <th scope="col" className={verbHead}>
            To what
          </th>
          {verbs.map((v) => (
            <th key={v} scope="col" className={verbHead}>
              {v}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {features.map((f) => (
          <tr key={f} className="h-[28px] border-b border-rule/60">
            <th scope="row" className="px-3 text-left font-medium">
              {f}
            </th>
            {verbs.map((v) => {
              const meaning = meanings.data?.items.find((m) => m.verb === v && m.feature === f);
              const right = rights.find((r) => r.verb === v && r.feature === f);
              return (
                <td key={v} className="px-3" title={meaning?.help}>
                  {!meaning ? (
                    ""
                  ) : !right ? (
                    <span className="text-soft">no</span>
                  ) : right.where ? (
                    <span>
                      where <code className="font-mono text-sm">{right.where}</code>
                    </span>
                  ) : (
                    <strong className="font-semibold">yes</strong>
                  )}
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

type Numbered = Rule & { key: number };

function RoleForm({ role, isNew, done }: { role: Role; isNew: boolean; done: (name: string) => void }) {
  const [name, setName] = useState(role.name);
  const [title, setTitle] = useState(role.title);
  const [rules, setRules] = useState<Numbered[]>(() => role.rules.map((r, i) => ({ ...r, key: i })));
  const put = usePutRole();
  const remove = useRemoveRole();
  const error = put.error ?? remove.error;
  const set = (key: number, part: Partial<Rule>) => setRules(rules.map((r) => (r.key === key ? { ...r, ...part } : r)));
  return (
    <Panel title={isNew ? "A new role" : `${role.name}: ${role.title}`}>
      <form
        className="grid gap-3 p-3"
        onSubmit={(e) => {
          e.preventDefault();
          const body = rules.map(({ effect, verbs, features, where }) => ({ effect, verbs, features, where }));
          put.mutate({ name, title, rules: body }, { onSuccess: () => done(name) });
        }}
      >
        <div className="grid gap-3 sm:grid-cols-[200px_minmax(0,1fr)]">
          <Field label="Name" help={isNew ? "Small letters, digits and hyphens" : undefined}>
            {(id, d) => (
              <input
                id={id}
                aria-describedby={d}
                value={name}
                disabled={!isNew}
                maxLength={63}
                onChange={(e) => setName(e.target.value)}
                className={`${inputClass} font-mono`}
              />
            )}
          </Field>
          <Field label="What somebody of this role does">
            {(id, d) => (
              <input
                id={id}
                aria-describedby={d}
                value={title}
                maxLength={200}
                onChange={(e) => setTitle(e.target.value)}
                className={inputClass}
              />
            )}
          </Field>
        </div>
        <ol className="grid gap-3">
          {rules.map((r, i) => (
            <li key={r.key} className="rounded border border-rule p-3">
              <RuleFields
                n={i + 1}
                rule={r}
                set={(part) => set(r.key, part)}
                remove={rules.length > 1 ? () => setRules(rules.filter((x) => x.key !== r.key)) : undefined}
              />
            </li>
          ))}
        </ol>
        {error && (
          <p role="alert" className="text-down">
            {error.message}
          </p>
        )}
        <div className="flex gap-2">
          <Button
            onClick={() =>
              setRules([
                ...rules,
                {
                  key: Math.max(...rules.map((r) => r.key)) + 1,
                  effect: "allow",
                  verbs: ["see"],
                  features: [],
                  where: "",
                },
              ])
            }
          >
            <Plus size={14} aria-hidden /> Another rule
          </Button>
          <span className="grow" />
          {!isNew && (
            <Button
              kind="danger"
              disabled={remove.isPending}
              onClick={() => remove.mutate(role.name, { onSuccess: () => done("administrator") })}
            >
              Remove the role
            </Button>
          )}
          <Button kind="main" type="submit" disabled={put.isPending || !name}>
            {isNew ? "Make the role" : "Keep"}
          </Button>
        </div>
      </form>
    </Panel>
  );
}

function RuleFields({
  n,
  rule,
  set,
  remove,
}: {
  n: number;
  rule: Rule;
  set: (part: Partial<Rule>) => void;
  remove?: () => void;
}) {
  const meanings = useMeanings();
  const features = [...new Set(meanings.data?.items.map((m) => m.feature))];
  const toggle = (list: string[] | undefined, x: string) =>
    list?.includes(x) ? list.filter((y) => y !== x) : [...(list ?? []), x];
  const boxes = (
    legend: string,
    all: readonly string[],
    chosen: string[] | undefined,
    on: (list: string[]) => void,
  ) => (
    <fieldset className="relative flex flex-wrap items-center gap-x-4 gap-y-1 pl-[92px]">
      <legend className="absolute left-0 text-sm font-medium">{legend}</legend>
      <label className="flex items-center gap-1.5">
        <input type="checkbox" checked={!chosen?.length} onChange={() => on([])} /> everything
      </label>
      {all.map((x) => (
        <label key={x} className="flex items-center gap-1.5">
          <input type="checkbox" checked={chosen?.includes(x) ?? false} onChange={() => on(toggle(chosen, x))} /> {x}
        </label>
      ))}
    </fieldset>
  );
  return (
    <div className="grid gap-2">
      <div className="flex items-center gap-3">
        <span className="w-20 shrink-0 text-sm font-medium">Rule {n}</span>
        <select
          aria-label={`Effect of rule ${n}`}
          value={rule.effect}
          onChange={(e) => set({ effect: e.target.value as Rule["effect"] })}
          className={clsx(inputClass, "max-w-28")}
        >
          <option value="allow">allow</option>
          <option value="deny">deny</option>
        </select>
        <span className="grow" />
        {remove && (
          <Button kind="quiet" aria-label={`Take out rule ${n}`} onClick={remove}>
            <Trash2 size={14} />
          </Button>
        )}
      </div>
      {boxes("Verbs", verbs, rule.verbs, (verbs) => set({ verbs }))}
      {boxes("Features", features, rule.features, (features) => set({ features }))}
      <label className="flex items-center gap-3">
        <span className="w-20 shrink-0 text-sm font-medium">Where</span>
        <input
          value={rule.where ?? ""}
          placeholder="everywhere"
          maxLength={1000}
          onChange={(e) => set({ where: e.target.value })}
          className={`${inputClass} font-mono`}
        />
      </label>
    </div>
  );
}
