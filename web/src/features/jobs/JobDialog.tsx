import { type FormEvent, useState } from "react";
import type { Job, JobKind, JobRequest } from "../../api/client";
import { Button, Field, inputClass, Modal, ScrollRegion } from "../../ui/controls";
import { many } from "../../ui/time";
import { useJobKinds, useJobPlan, useMakeJob } from "./queries";

const days = ["MO", "TU", "WE", "TH", "FR", "SA", "SU"] as const;
const dayNames = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

type Repeat = "now" | "then" | "hourly" | "daily" | "weekly" | "rule";

/** What is typed of when a job is done. */
type Typed = {
  repeat: Repeat;
  at: string;
  time: string;
  on: string[];
  rule: string;
  zone: string;
  hours: string;
  catchUp: boolean;
};

const here = Intl.DateTimeFormat().resolvedOptions().timeZone;
const blank: Typed = {
  repeat: "now",
  at: "",
  time: "02:00",
  on: ["SU"],
  rule: "",
  zone: here,
  hours: "",
  catchUp: true,
};

/** What was typed, as the service wants it. */
function whenOf(t: Typed): JobRequest["when"] {
  const [hour = "2", minute = "0"] = t.time.split(":").map((n) => String(Number(n)));
  const at = `BYHOUR=${hour};BYMINUTE=${minute}`;
  const rules: Partial<Record<Repeat, string>> = {
    hourly: "FREQ=HOURLY;BYMINUTE=0",
    daily: `FREQ=DAILY;${at}`,
    weekly: `FREQ=WEEKLY;BYDAY=${days.filter((d) => t.on.includes(d)).join(",")};${at}`,
    rule: t.rule.trim(),
  };
  return {
    at: t.repeat === "then" && t.at ? new Date(t.at).toISOString() : undefined,
    rule: rules[t.repeat],
    zone: t.zone.trim() || undefined,
    hours: t.hours.trim() || undefined,
    catch_up: t.catchUp && t.repeat !== "now" ? true : undefined,
  };
}

/** Has somebody say what is to be done, on which devices, and when. */
export function JobDialog({
  kinds,
  where,
  only,
  onClose,
  made,
}: {
  kinds: string[];
  where: string;
  only?: boolean;
  onClose: () => void;
  made: (j: Job) => void;
}) {
  const all = useJobKinds();
  const offered = (all.data?.items ?? []).filter((k) => kinds.includes(k.kind));
  const [kindName, setKind] = useState(kinds[0] ?? "");
  const kind = offered.find((k) => k.kind === kindName) ?? offered[0];
  const [title, setTitle] = useState("");
  const [on, setOn] = useState(where);
  const [args, setArgs] = useState<Record<string, string>>({});
  const [when, setWhen] = useState(blank);
  const make = useMakeJob();
  const [planned, setPlanned] = useState(where); // what the plan is of: what was typed once it is whole
  const writes = kind?.writes ?? false;
  const [plannedArgs, setPlannedArgs] = useState<Record<string, string>>({});
  const plan = useJobPlan(kind?.kind ?? "", planned.trim(), said(kind, plannedArgs), writes);
  const put = (more: Partial<Typed>) => setWhen({ ...when, ...more });
  const recurs = when.repeat !== "now" && when.repeat !== "then";
  const lacks =
    (when.repeat === "then" && !when.at) ||
    (when.repeat === "weekly" && when.on.length === 0) ||
    (when.repeat === "rule" && !when.rule.trim());
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (!kind || lacks) return;
    make.mutate(
      {
        kind: kind.kind as JobRequest["kind"],
        title: title.trim() || undefined,
        where: kind.elsewhere ? undefined : on.trim() || undefined,
        args: said(kind, args),
        when: whenOf(when),
      },
      {
        onSuccess: (j) => {
          onClose();
          made(j);
        },
      },
    );
  };
  return (
    <Modal
      open
      onOpenChange={onClose}
      title={only && kind ? kind.title : "New job"}
      description={kind ? (only ? says(kind) : (kind.disturbs ?? "")) : ""}
      wide
    >
      <form onSubmit={submit} className="grid gap-2" aria-label="New job">
        {!only && (
          <Field label="It does" help={kind?.does}>
            {(id, by) => (
              <select
                id={id}
                aria-describedby={by}
                className={inputClass}
                value={kindName}
                onChange={(e) => setKind(e.target.value)}
              >
                {offered.map((k) => (
                  <option key={k.kind} value={k.kind}>
                    {k.title}
                  </option>
                ))}
              </select>
            )}
          </Field>
        )}
        <div className="grid gap-3 sm:grid-cols-2">
          {!kind?.elsewhere && (
            <Field label="On" help="a selector, which picks anew each time; all devices while it is empty">
              {(id, by) => (
                <input
                  id={id}
                  aria-describedby={by}
                  className={`${inputClass} font-mono`}
                  placeholder="site = tern-haven"
                  value={on}
                  onChange={(e) => setOn(e.target.value)}
                  onBlur={() => setPlanned(on)}
                />
              )}
            </Field>
          )}
          <Field label="Title" help="what it is called in the list">
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                className={inputClass}
                maxLength={120}
                placeholder={kind?.title}
                value={title}
                onChange={(e) => setTitle(e.target.value)}
              />
            )}
          </Field>
        </div>
        <div className="grid gap-3 sm:grid-cols-3">
          <Field label="When" help={recurs ? "until it is held or removed" : "once"}>
            {(id, by) => (
              <select
                id={id}
                aria-describedby={by}
                className={inputClass}
                value={when.repeat}
                onChange={(e) => put({ repeat: e.target.value as Repeat })}
              >
                <option value="now">now</option>
                <option value="then">at a time</option>
                <option value="hourly">every hour</option>
                <option value="daily">every day</option>
                <option value="weekly">every week</option>
                <option value="rule">by a rule</option>
              </select>
            )}
          </Field>
          {when.repeat === "then" && (
            <Field label="At" help={`by your clock (${here})`}>
              {(id, by) => (
                <input
                  id={id}
                  aria-describedby={by}
                  type="datetime-local"
                  className={inputClass}
                  value={when.at}
                  onChange={(e) => put({ at: e.target.value })}
                />
              )}
            </Field>
          )}
          {(when.repeat === "daily" || when.repeat === "weekly") && (
            <Field label="At" help="time of day in the zone">
              {(id, by) => (
                <input
                  id={id}
                  aria-describedby={by}
                  type="time"
                  required
                  className={inputClass}
                  value={when.time}
                  onChange={(e) => put({ time: e.target.value })}
                />
              )}
            </Field>
          )}
          {when.repeat === "rule" && (
            <Field label="Rule" help="a recurrence rule of RFC 5545">
              {(id, by) => (
                <input
                  id={id}
                  aria-describedby={by}
                  className={`${inputClass} font-mono`}
                  placeholder="FREQ=MONTHLY;BYMONTHDAY=1;BYHOUR=4"
                  value={when.rule}
                  onChange={(e) => put({ rule: e.target.value })}
                />
              )}
            </Field>
          )}
          {(recurs || when.hours) && (
            <Field label="Time zone" help="UTC while it is empty">
              {(id, by) => (
                <input
                  id={id}
                  aria-describedby={by}
                  className={inputClass}
                  value={when.zone}
                  onChange={(e) => put({ zone: e.target.value })}
                />
              )}
            </Field>
          )}
        </div>
        {when.repeat === "weekly" && (
          <fieldset className="flex flex-wrap gap-x-3">
            <legend className="sr-only">On which days</legend>
            {days.map((d, i) => (
              <label key={d} className="flex items-center gap-1.5">
                <input
                  type="checkbox"
                  className="accent-[var(--accent)]"
                  checked={when.on.includes(d)}
                  onChange={(e) => put({ on: e.target.checked ? [...when.on, d] : when.on.filter((x) => x !== d) })}
                />
                {dayNames[i]}
              </label>
            ))}
          </fieldset>
        )}
        <div className="grid gap-3 sm:grid-cols-3">
          <Field label="Only in these hours" help="at any time while it is empty">
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                className={`${inputClass} font-mono`}
                placeholder="mon-fri 22:00-24:00"
                value={when.hours}
                onChange={(e) => put({ hours: e.target.value })}
              />
            )}
          </Field>
          {kind?.params.map((p) => (
            <Field key={p.name} label={p.title} help={p.help}>
              {(id, by) => (
                <input
                  id={id}
                  aria-describedby={by}
                  className={inputClass}
                  {...(p.secret
                    ? { type: "password", autoComplete: "new-password", minLength: 8 }
                    : { inputMode: /^-?\d+$/.test(p.default) ? ("numeric" as const) : undefined })}
                  placeholder={p.default}
                  value={args[p.name] ?? ""}
                  onChange={(e) => setArgs({ ...args, [p.name]: e.target.value })}
                  onBlur={() => !p.secret && setPlannedArgs({ ...plannedArgs, [p.name]: (args[p.name] ?? "").trim() })}
                />
              )}
            </Field>
          ))}
        </div>
        {when.repeat !== "now" && (
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className="accent-[var(--accent)]"
              checked={when.catchUp}
              onChange={(e) => put({ catchUp: e.target.checked })}
            />
            Do it later where the service does not run when it is due
          </label>
        )}
        {writes && (
          <Plan
            plan={plan}
            has={kind?.kind === "passwords" ? "User" : "Has"}
            waves={kind?.disturbs !== undefined}
            typed={kind?.params.some((p) => p.secret && args[p.name])}
          />
        )}
        {make.isError && (
          <p role="alert" className="text-down">
            {make.error.message}
          </p>
        )}
        <div className="mt-1 flex justify-end gap-2">
          <Button onClick={onClose}>Leave it</Button>
          <Button type="submit" kind="main" disabled={make.isPending || !kind || lacks || (writes && !plan.data)}>
            {when.repeat !== "now"
              ? "Make the job"
              : writes && plan.data
                ? `${kind?.title}: ${many(plan.data.steps.length, "device")}`
                : "Begin"}
          </Button>
        </div>
      </form>
    </Modal>
  );
}

/** What was typed of what a kind takes. */
const said = (k: JobKind | undefined, args: Record<string, string>): Record<string, string> =>
  Object.fromEntries((k?.params ?? []).map((p) => [p.name, (args[p.name] ?? "").trim()]).filter(([, v]) => v));

const says = (k: JobKind) => `It ${k.does}.${k.disturbs ? ` ${k.disturbs}` : ""}`;

/** Which devices come when, and what each is to run. */
function Plan({
  plan,
  has,
  waves,
  typed,
}: {
  plan: ReturnType<typeof useJobPlan>;
  has: string;
  waves: boolean;
  typed?: boolean;
}) {
  if (plan.isError)
    return (
      <p role="alert" className="text-down">
        {plan.error.message}
      </p>
    );
  if (!plan.data) return <p className="text-soft">Looking what it would do…</p>;
  return (
    <ScrollRegion label="What it would do" className="max-h-44 overflow-auto rounded border border-rule">
      <table className="w-full border-collapse text-left text-sm">
        <thead className="sticky top-0 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
          <tr>
            {(waves ? ["Wave", "Device", "Runs", "Is to run"] : ["Device", has, "Gets"]).map((h) => (
              <th key={h} scope="col" className="h-6 px-2 font-medium">
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {plan.data.steps.map((s) => (
            <tr key={s.device} className="border-t border-rule/60 first:border-0">
              {waves && <td className="px-2 tabular-nums">{s.wave === 1 ? "1, the trial" : s.wave}</td>}
              <td className="px-2 font-mono">{s.device}</td>
              <td className="px-2 font-mono text-soft">{s.from}</td>
              <td className={waves ? "px-2 font-mono" : "px-2"}>{typed ? "the password that you typed" : s.to}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </ScrollRegion>
  );
}
