import { clsx } from "clsx";
import { ArrowRight, Undo2 } from "lucide-react";
import { useEffect, useState } from "react";
import { allowed, type Change, type Finding, type Person } from "../../api/client";
import {
  isDraft,
  useAddEdits,
  useCancel,
  useCheck,
  useDiscard,
  useExplain,
  useKeep,
  usePush,
  useTakeBack,
  useUndo,
} from "../../api/queries";
import { useView } from "../../app/view";
import { Button, Field, inputClass, Modal } from "../../ui/controls";
import { changeShape, changeWord, HealthMark, Shape } from "../../ui/health";
import { Ago, clock, many, useNow } from "../../ui/time";
import { Effect } from "../policies/Effect";
import { Differences } from "./Differences";
import { atOnce, timeOf, Waiting, WhenField } from "./Waiting";

export function ChangeView({ c, me, onGone }: { c: Change; me: Person; onGone: () => void }) {
  const [accepted, setAccepted] = useState<string[]>([]);
  const may = allowed(me, "change", "ports");
  return (
    <article className="grid gap-3 p-3">
      <header>
        <div className="flex items-baseline gap-3">
          <h3 className="text-lg font-semibold">Change {c.number}</h3>
          <HealthMark state={changeShape(c.state)} word={changeWord(c.state)} />
          <span className="grow" />
          <span className="text-sm text-soft">
            {c.owner}, <Ago at={c.created_at} />
          </span>
        </div>
        <Why c={c} editable={may && isDraft(c)} />
      </header>
      {c.outcome && (
        <p
          role="status"
          className={clsx(
            "rounded border-l-4 bg-ground px-3 py-2",
            c.state === "kept" ? "border-well" : "border-accent",
          )}
        >
          {c.outcome}
        </p>
      )}
      <Waiting c={c} me={me} may={may} />
      {c.state !== "waiting" && <Progress c={c} may={may} />}
      <Overlaps c={c} />
      <Differences c={c} editable={may && isDraft(c)} />
      <Effect c={c} />
      {may && <TakeBack c={c} />}
      <Findings c={c} may={may} accepted={accepted} setAccepted={setAccepted} />
      {may && isDraft(c) && <DraftActions c={c} accepted={accepted} onGone={onGone} />}
      <Record c={c} />
    </article>
  );
}

function Why({ c, editable }: { c: Change; editable: boolean }) {
  const [why, setWhy] = useState(c.why);
  const explain = useExplain();
  useEffect(() => setWhy(c.why), [c.why]);
  if (!editable) return c.why ? <p className="mt-1">{c.why}</p> : null;
  return (
    <input
      aria-label="Why this change is made"
      className={`${inputClass} mt-1.5`}
      placeholder="Why? One line for those who come after"
      maxLength={500}
      value={why}
      onChange={(e) => setWhy(e.target.value)}
      onBlur={() => why.trim() !== c.why && explain.mutate({ number: c.number, why })}
      onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
    />
  );
}

/** What other open changes set on the same things. */
function Overlaps({ c }: { c: Change }) {
  const [, setTray] = useView("tray");
  if (!c.overlaps || c.overlaps.length === 0) return null;
  const others = [...new Set(c.overlaps.map((o) => o.change))];
  return (
    <section aria-label="Also set by others" className="rounded border border-degraded p-2.5 text-sm">
      <p className="flex items-start gap-2 font-medium">
        <Shape state="degraded" className="mt-1" />
        <span>
          {others.length === 1 ? "Another change sets" : "Other changes set"} some of the same:{" "}
          {others.map((n) => (
            <button
              key={n}
              type="button"
              className="mr-1 text-accent hover:underline"
              onClick={() => setTray(String(n))}
            >
              change {n} of {c.overlaps?.find((o) => o.change === n)?.owner}
            </button>
          ))}
        </span>
      </p>
      <ul className="mt-1 max-h-32 overflow-auto font-mono">
        {c.overlaps.map((o) => (
          <li key={`${o.change} ${o.port} ${o.field}`}>
            {o.port} {o.field}={o.value}
          </li>
        ))}
      </ul>
      <p className="mt-1 text-soft">Whichever is pushed last holds. It is checked anew before that.</p>
    </section>
  );
}

/** Makes a draft that takes a kept change back. */
function TakeBack({ c }: { c: Change }) {
  const [, setTray] = useView("tray");
  const back = useTakeBack();
  if (c.state !== "kept") return null;
  return (
    <div>
      <Button
        onClick={() => back.mutate(c.number, { onSuccess: (n) => setTray(String(n.number)) })}
        disabled={back.isPending}
      >
        <Undo2 size={14} aria-hidden /> Take it back in a new draft
      </Button>
    </div>
  );
}

const levels: Record<string, { word: string; state: string }> = {
  stop: { word: "Stop", state: "down" },
  warn: { word: "Warning", state: "degraded" },
  note: { word: "Note", state: "unknown" },
};

function Findings({
  c,
  may,
  accepted,
  setAccepted,
}: {
  c: Change;
  may: boolean;
  accepted: string[];
  setAccepted: (ids: string[]) => void;
}) {
  const add = useAddEdits();
  if (c.state === "draft") return null;
  if (c.findings.length === 0) {
    return isDraft(c) ? (
      <p className="flex items-center gap-2">
        <Shape state="well" /> The guards found nothing.
      </p>
    ) : null;
  }
  const list = (
    <section aria-label="Findings" className="grid gap-2">
      {c.findings.map((f: Finding) => (
        <div key={f.id} className="rounded border border-rule p-2.5">
          <p className="flex items-start gap-2 font-medium">
            <Shape state={levels[f.level]?.state ?? "unknown"} className="mt-1" />
            <span>
              {levels[f.level]?.word}: {f.what}
            </span>
          </p>
          <p className="mt-1 text-soft">{f.why}</p>
          <p className="mt-1">{f.remedy}</p>
          {may && isDraft(c) && (
            <div className="mt-2 flex flex-wrap items-center gap-3">
              {f.fix && f.fix.length > 0 && (
                <Button onClick={() => add.mutate({ draft: c.number, edits: f.fix ?? [] })} disabled={add.isPending}>
                  Mend it in the draft
                </Button>
              )}
              {f.level === "warn" && (
                <label className="inline-flex items-center gap-1.5">
                  <input
                    type="checkbox"
                    className="accent-[var(--accent)]"
                    checked={accepted.includes(f.id)}
                    onChange={(e) =>
                      setAccepted(e.target.checked ? [...accepted, f.id] : accepted.filter((a) => a !== f.id))
                    }
                  />
                  I accept this
                </label>
              )}
            </div>
          )}
          {c.accepted
            .filter((a) => a.finding === f.id)
            .map((a) => (
              <p key={a.at} className="mt-1 text-sm text-soft">
                accepted by {a.by}, {clock(a.at)}
              </p>
            ))}
        </div>
      ))}
    </section>
  );
  if (isDraft(c)) return list;
  return (
    <details className="text-sm">
      <summary className="cursor-pointer text-soft">
        {many(c.findings.length, "finding")}{" "}
        {c.state === "waiting" ? "when it was checked" : "accepted before the push"}
      </summary>
      <div className="mt-2">{list}</div>
    </details>
  );
}

const trials: [number, string][] = [
  [10, "10 seconds"],
  [30, "30 seconds"],
  [120, "2 minutes"],
  [600, "10 minutes"],
  [3600, "1 hour"],
];

const keeps: [number, string][] = [
  [0, "on my word"],
  [5, "after 5 seconds"],
  [30, "after 30 seconds"],
  [300, "after 5 minutes"],
];

function Spans({
  id,
  by,
  value,
  onChange,
  options,
}: {
  id: string;
  by: string;
  value: number;
  onChange: (seconds: number) => void;
  options: [number, string][];
}) {
  return (
    <select
      id={id}
      aria-describedby={by}
      className={inputClass}
      value={value}
      onChange={(e) => onChange(Number(e.target.value))}
    >
      {options.map(([s, word]) => (
        <option key={s} value={s}>
          {word}
        </option>
      ))}
    </select>
  );
}

function DraftActions({ c, accepted, onGone }: { c: Change; accepted: string[]; onGone: () => void }) {
  const check = useCheck();
  const push = usePush();
  const discard = useDiscard();
  const [seconds, setSeconds] = useState(120);
  const [keep, setKeep] = useState(0);
  const [asking, setAsking] = useState<"push" | "discard" | "">("");
  const [when, setWhen] = useState(atOnce);
  const stops = c.findings.filter((f) => f.level === "stop").length;
  const pressing = (f: Finding) => f.level === "warn" && (when.how === "now" || f.guard !== "change-window");
  const open = c.findings.filter((f) => pressing(f) && !accepted.includes(f.id)).length;
  const at = timeOf(when);
  const waits = when.how !== "now" || ((c.needs_approval?.length ?? 0) > 0 && !c.approvals?.length);
  const devices = c.devices.map((d) => d.device);
  return (
    <footer className="grid gap-2">
      {c.state === "checked" && (
        <div className="grid grid-cols-2 gap-3">
          <Field label="On trial for" help="Unless it is kept in that time, the devices go back">
            {(id, by) => <Spans id={id} by={by} value={seconds} onChange={setSeconds} options={trials} />}
          </Field>
          <Field label="Keep it" help="By itself only while nothing is lost">
            {(id, by) => (
              <Spans id={id} by={by} value={keep} onChange={setKeep} options={keeps.filter(([k]) => k < seconds)} />
            )}
          </Field>
          <WhenField c={c} when={when} set={setWhen} />
        </div>
      )}
      <div className="flex items-center gap-2">
        {c.state === "draft" ? (
          <Button
            kind="main"
            onClick={() => check.mutate(c.number)}
            disabled={check.isPending || c.differences.length === 0}
          >
            {check.isPending ? "Checking…" : "Check"}
          </Button>
        ) : (
          <Button
            kind="main"
            onClick={() => setAsking("push")}
            disabled={stops + open > 0 || at === null || push.isPending}
          >
            {waits ? "Have it wait" : `Push to ${many(devices.length, "device")}`} <ArrowRight size={14} aria-hidden />
          </Button>
        )}
        {stops > 0 && <span className="text-sm text-soft">Mend what stops it first.</span>}
        {stops === 0 && open > 0 && (
          <span className="text-sm text-soft">
            Mend or accept {open} warning{open === 1 ? "" : "s"} first.
          </span>
        )}
        <span className="grow" />
        <Button kind="quiet" onClick={() => setAsking("discard")}>
          Throw away
        </Button>
      </div>
      <Modal
        open={asking !== ""}
        onOpenChange={() => setAsking("")}
        title={
          asking === "push"
            ? waits
              ? `Have change ${c.number} wait to be pushed?`
              : `Push change ${c.number}?`
            : `Throw draft ${c.number} away?`
        }
        description={
          asking === "push"
            ? `${many(c.difference_count, "setting")} will be changed on ${devices.join(", then ")}. It runs on trial for ${trials.find(([s]) => s === seconds)?.[1]}; unless it is kept in that time, every device goes back.${keep > 0 && keep < seconds ? ` It is kept by itself ${keeps.find(([k]) => k === keep)?.[1]} without a loss.` : ""}`
            : `Its ${c.edit_count} edits are lost. No device is touched.`
        }
      >
        <div className="flex justify-end gap-2">
          <Button onClick={() => setAsking("")}>Cancel</Button>
          {asking === "push" ? (
            <Button
              kind="main"
              onClick={() => {
                setAsking("");
                push.mutate({
                  change: c,
                  accept: accepted,
                  seconds,
                  keep: keep < seconds ? keep : 0,
                  at: at ?? undefined,
                  window: when.how === "window" || undefined,
                });
              }}
            >
              {waits ? "Have it wait" : "Push"}
            </Button>
          ) : (
            <Button
              kind="danger"
              onClick={() => {
                setAsking("");
                discard.mutate(c.number, { onSuccess: onGone });
              }}
            >
              Throw away
            </Button>
          )}
        </div>
      </Modal>
    </footer>
  );
}

const stepShape: Record<string, string> = {
  kept: "well",
  undone: "off",
  untouched: "off",
  refused: "down",
  waiting: "unknown",
  ready: "unknown",
};

/** How far each device is, and, on trial, how much time is left and the word to be said. */
function Progress({ c, may }: { c: Change; may: boolean }) {
  const now = useNow();
  const keep = useKeep();
  const undo = useUndo();
  const cancel = useCancel();
  if (isDraft(c)) return null;
  const left = c.deadline ? Math.max(0, new Date(c.deadline).getTime() - now) : 0;
  const whole = (c.trial_seconds ?? 1) * 1000;
  return (
    <section aria-label="Progress" className="grid gap-2">
      {c.state === "on-trial" && (
        <div className="rounded border border-accent p-2.5">
          <p className="flex items-center justify-between">
            <span className="flex items-center gap-2 font-semibold">
              <Shape state="trial" size={14} /> On trial
            </span>
            <span className="font-mono">
              {Math.floor(left / 60_000)}:{String(Math.floor((left % 60_000) / 1000)).padStart(2, "0")} left
            </span>
          </p>
          <div
            role="progressbar"
            aria-label="Time left of the trial"
            aria-valuemin={0}
            aria-valuemax={whole / 1000}
            aria-valuenow={Math.round(left / 1000)}
            className="my-2 h-1 bg-rule"
          >
            <div className="h-full bg-accent" style={{ width: `${Math.min(100, (left / whole) * 100)}%` }} />
          </div>
          <p className="text-sm text-soft">
            Every device was read back and runs the change. If something that worked is lost, or nobody keeps it in
            time, all of it is undone.
            {c.keep_seconds ? ` It is kept by itself once all has been well for ${c.keep_seconds} s.` : ""}
          </p>
          {may && (
            <div className="mt-2 flex gap-2">
              <Button kind="main" onClick={() => keep.mutate(c.number)} disabled={keep.isPending || undo.isPending}>
                Keep it
              </Button>
              <Button onClick={() => undo.mutate(c.number)} disabled={keep.isPending || undo.isPending}>
                Undo it
              </Button>
            </div>
          )}
        </div>
      )}
      {c.state === "pushing" && may && (
        <div className="flex items-center gap-3">
          <Button onClick={() => cancel.mutate(c.number)} disabled={cancel.isPending}>
            Stop the push
          </Button>
          <span className="text-sm text-soft">What runs it already is undone.</span>
        </div>
      )}
      {c.devices.length > 6 && <p className="text-sm">{stepsWord(c)}</p>}
      <ul className="grid max-h-80 gap-1 overflow-auto">
        {c.devices.map((d) => (
          <li key={d.device} className="grid grid-cols-[14px_100px_minmax(0,1fr)] items-baseline gap-2">
            <Shape state={stepShape[d.step] ?? "trial"} />
            <span className="font-mono text-sm">{d.device}</span>
            <span>
              {changeWord(d.step)}
              {d.said && <span className="block text-sm text-soft">{d.said}</span>}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** How many devices are how far: 27 devices: 12 on trial, 15 ready. */
function stepsWord(c: Change): string {
  const count = new Map<string, number>();
  for (const d of c.devices) count.set(d.step, (count.get(d.step) ?? 0) + 1);
  return `${many(c.devices.length, "device")}: ${[...count].map(([step, n]) => `${n} ${changeWord(step)}`).join(", ")}`;
}

function Record({ c }: { c: Change }) {
  return (
    <details className="text-sm" open={!isDraft(c)}>
      <summary className="cursor-pointer text-soft">Record</summary>
      <ol className="mt-1 grid gap-0.5">
        {c.log.map((l, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: the record only grows at its end
          <li key={i} className="grid grid-cols-[62px_minmax(0,1fr)] gap-1">
            <time dateTime={l.at} className="font-mono text-soft">
              {clock(l.at)}
            </time>
            <span className="break-words">{l.text}</span>
          </li>
        ))}
      </ol>
    </details>
  );
}
