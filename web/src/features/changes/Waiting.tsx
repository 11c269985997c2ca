import { useState } from "react";
import { allowed, type Change, type Person } from "../../api/client";
import { useApprove, useWithdraw } from "../../api/queries";
import { Button, Field, inputClass } from "../../ui/controls";
import { Shape } from "../../ui/health";
import { dayTime } from "../../ui/time";

/** When a push begins: at once, at a time, or in the hours of changes. */
export type When = { how: "now" | "at" | "window"; at: string };

export const atOnce: When = { how: "now", at: "" };

/** The time of a push for the service; undefined for at once, null where it was not given yet. */
export function timeOf(w: When): string | null | undefined {
  if (w.how !== "at") return undefined;
  const t = new Date(w.at);
  return Number.isNaN(t.getTime()) ? null : t.toISOString();
}

export function WhenField({ c, when, set }: { c: Change; when: When; set: (w: When) => void }) {
  const windows = c.windows ?? [];
  const next = windows
    .map((w) => w.next)
    .filter(Boolean)
    .sort()
    .at(-1);
  return (
    <>
      <Field
        label="Begin"
        help={
          when.how === "window"
            ? windows.map((w) => `${w.rule}: ${w.hours}`).join("; ")
            : when.how === "at"
              ? "It begins by itself, if the network is still as it was checked"
              : "The devices check it first"
        }
      >
        {(id, by) => (
          <select
            id={id}
            aria-describedby={by}
            className={inputClass}
            value={when.how}
            onChange={(e) => set({ ...when, how: e.target.value as When["how"] })}
          >
            <option value="now">at once</option>
            <option value="at">at a time</option>
            {windows.length > 0 && (
              <option value="window">in the hours of changes{next ? `, ${dayTime(next)}` : ""}</option>
            )}
          </select>
        )}
      </Field>
      {when.how === "at" && (
        <Field label="Not before" help="By the clock of this machine">
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              type="datetime-local"
              className={inputClass}
              value={when.at}
              onChange={(e) => set({ ...when, at: e.target.value })}
            />
          )}
        </Field>
      )}
    </>
  );
}

/** For what a change waits to be pushed, and who has approved it. */
export function Waiting({ c, me, may }: { c: Change; me: Person; may: boolean }) {
  const withdraw = useWithdraw();
  const w = c.waits;
  const needs = c.needs_approval ?? [];
  const approvals = c.approvals ?? [];
  if (!w && needs.length === 0 && approvals.length === 0) return null;
  const lines: string[] = [];
  if (w?.at) lines.push(`for ${dayTime(w.at)}`);
  if (w?.in_window)
    for (const one of c.windows ?? [])
      lines.push(`for the hours of ${one.rule} (${one.hours})${one.next ? `, next ${dayTime(one.next)}` : ""}`);
  if (w?.approval) lines.push("for the approval of a second person");
  const open = c.state === "draft" || c.state === "checked" || c.state === "waiting";
  return (
    <section aria-label="What it waits for" className="rounded border border-rule p-2.5">
      {w && (
        <>
          <p className="flex items-center gap-2 font-semibold">
            <Shape state="trial" size={14} /> Waits to be pushed
          </p>
          <ul className="mt-1 list-disc pl-6">
            {lines.length === 0 ? <li>for its turn</li> : lines.map((l) => <li key={l}>{l}</li>)}
          </ul>
          <p className="mt-1 text-sm text-soft">
            {w.by} has it pushed. It begins by itself, unless the network has changed until then so that it comes to
            something else.
          </p>
        </>
      )}
      {needs.length > 0 && open && (
        <p className={w ? "mt-2 text-sm" : "text-sm"}>
          The {needs.length === 1 ? `rule ${needs[0]} asks` : `rules ${needs.join(", ")} ask`} for a second person
          {approvals.length === 0 ? "." : ":"}
        </p>
      )}
      {approvals.map((a) => (
        <p key={a.by} className="flex items-center gap-2 text-sm">
          <Shape state="well" size={11} /> approved by {a.by}, {dayTime(a.at)}
          {a.why && <span className="text-soft">“{a.why}”</span>}
        </p>
      ))}
      {allowed(me, "operate", "changes") &&
        needs.length > 0 &&
        approvals.length === 0 &&
        (c.state === "checked" || c.state === "waiting") && <Approve c={c} me={me} />}
      {may && w && (
        <div className="mt-2">
          <Button onClick={() => withdraw.mutate(c.number)} disabled={withdraw.isPending}>
            Take it back
          </Button>
        </div>
      )}
    </section>
  );
}

function Approve({ c, me }: { c: Change; me: Person }) {
  const [why, setWhy] = useState("");
  const approve = useApprove();
  const mine = c.owner === me.name || c.editors?.includes(me.name) || c.waits?.by === me.name;
  if (mine) return <p className="mt-1 text-sm text-soft">You had a hand in it: somebody else has to say yes.</p>;
  return (
    <form
      className="mt-2 flex gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        approve.mutate({ change: c, why: why.trim() });
      }}
    >
      <input
        aria-label="A word for the record"
        placeholder="A word for the record"
        className={inputClass}
        maxLength={500}
        value={why}
        onChange={(e) => setWhy(e.target.value)}
      />
      <Button type="submit" kind="main" disabled={approve.isPending}>
        Approve it
      </Button>
    </form>
  );
}
