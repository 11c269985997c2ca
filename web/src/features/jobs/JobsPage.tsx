import { Plus } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { allowed, type Job, type JobRun, type JobStep, type Person } from "../../api/client";
import { useKept, useScope, useView } from "../../app/view";
import { Button, Empty, Failure, Modal, Panel, ScrollRegion } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { Ago, dayTime, many, span } from "../../ui/time";
import { JobDialog } from "./JobDialog";
import {
  allOf,
  farOf,
  through,
  useActOnJob,
  useActOnRun,
  useJob,
  useJobKinds,
  useJobRun,
  useJobRuns,
  useJobs,
  useRemoveJob,
} from "./queries";

/** Work on many devices: what is still to be done first, and one job with what came of it on each device. */
export function JobsPage({ me }: { me: Person }) {
  const [scope] = useScope();
  const [picked, pick] = useView("job");
  const [run, pickRun] = useView("run");
  const [making, setMaking] = useState(false);
  const jobs = useJobs();
  const kinds = useJobKinds();
  const list = jobs.data?.items ?? [];
  const may = allowed(me, "operate", "jobs")
    ? (kinds.data?.items ?? []).filter((k) => holds(me, k.right)).map((k) => k.kind)
    : [];
  const show = (j: number, r?: number) => {
    pick(j ? String(j) : "");
    pickRun(r ? String(r) : "");
  };
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex items-center gap-3">
        <h1 className="text-lg font-semibold">Jobs</h1>
        <span className="grow" />
        {may.length > 0 && (
          <Button kind="main" onClick={() => setMaking(true)}>
            <Plus size={14} aria-hidden /> New job
          </Button>
        )}
      </div>
      <div
        className={
          picked
            ? "grid grid-cols-[minmax(0,1fr)] items-start gap-3 xl:grid-cols-[minmax(0,1fr)_minmax(460px,1fr)]"
            : "grid grid-cols-[minmax(0,1fr)]"
        }
      >
        <Panel title={many(list.length, "job")}>
          {jobs.isError ? (
            <Failure error={jobs.error} retry={() => void jobs.refetch()} />
          ) : list.length === 0 && jobs.data ? (
            <Empty title="There are no jobs yet">
              A job does the same on many devices: now, at a time, or again and again. A backup every night is a good
              first one.
            </Empty>
          ) : (
            <JobList
              list={list}
              picked={picked}
              narrow={picked !== ""}
              pick={(n) => show(String(n) === picked ? 0 : n)}
            />
          )}
        </Panel>
        {picked && <Detail number={Number(picked)} run={Number(run)} me={me} show={show} />}
      </div>
      {making && <JobDialog kinds={may} where={scope} onClose={() => setMaking(false)} made={(j) => show(j.number)} />}
    </div>
  );
}

/** Whether somebody has a right that is written as "operate backups". */
const holds = (me: Person, right: string) => {
  const [verb = "", feature = ""] = right.split(" ");
  return allowed(me, verb as Parameters<typeof allowed>[1], feature);
};

function JobList({
  list,
  picked,
  narrow,
  pick,
}: {
  list: Job[];
  picked: string;
  narrow: boolean;
  pick: (n: number) => void;
}) {
  const heads = ["#", "Title", "When", "Next", "Last", ...(narrow ? [] : ["Devices", "Owner"])];
  return (
    <ScrollRegion label="Jobs" className="overflow-x-auto">
      <table className="w-full border-collapse text-left">
        <thead className="text-sm text-soft">
          <tr className="border-b border-rule">
            {heads.map((h) => (
              <th key={h} scope="col" className="h-7 whitespace-nowrap px-2.5 font-medium">
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {list.map((j) => (
            <tr
              key={j.number}
              aria-selected={String(j.number) === picked}
              onClick={() => pick(j.number)}
              className="cursor-pointer border-b border-rule/60 last:border-0 hover:bg-ground aria-selected:bg-buff aria-selected:text-buff-ink"
            >
              <td className="px-2.5 py-1 align-baseline tabular-nums">
                <button
                  type="button"
                  className="text-soft hover:underline"
                  aria-label={`Job ${j.number}`}
                  onClick={(e) => {
                    e.stopPropagation();
                    pick(j.number);
                  }}
                >
                  {j.number}
                </button>
              </td>
              <td className="max-w-[260px] break-words px-2.5 py-1 align-baseline">{j.title}</td>
              <td className="px-2.5 py-1 align-baseline text-soft">{j.text}</td>
              <td className="whitespace-nowrap px-2.5 py-1 align-baseline">
                {j.state === "held" ? (
                  <HealthMark state="off" word="held" />
                ) : j.next_at ? (
                  dayTime(j.next_at)
                ) : (
                  <span className="text-soft">over</span>
                )}
              </td>
              <td className="whitespace-nowrap px-2.5 py-1 align-baseline">{j.last && <RunMark r={j.last} />}</td>
              {!narrow && (
                <>
                  <td className="max-w-[280px] break-words px-2.5 py-1 align-baseline font-mono text-sm">{jobOn(j)}</td>
                  <td className="whitespace-nowrap px-2.5 py-1 align-baseline text-soft">{j.owner}</td>
                </>
              )}
            </tr>
          ))}
        </tbody>
      </table>
    </ScrollRegion>
  );
}

const runShape: Record<JobRun["state"], string> = {
  running: "trial",
  waiting: "unknown",
  paused: "off",
  done: "well",
  failed: "down",
  cancelled: "off",
  missed: "degraded",
};

/** How a run stands or ended, in a few words. */
function RunMark({ r }: { r: JobRun }) {
  const failed = r.counts.failed ?? 0;
  return (
    <span className="inline-flex items-baseline gap-1.5">
      <HealthMark
        state={runShape[r.state]}
        word={
          r.ended_at
            ? failed > 0
              ? `${r.state}, ${failed} of ${allOf(r.counts)}`
              : r.state
            : `${r.state}, ${farOf(r.counts)}`
        }
      />
      {r.ended_at && (
        <span className="text-sm text-soft">
          <Ago at={r.ended_at} />
        </span>
      )}
    </span>
  );
}

function Detail({
  number,
  run,
  me,
  show,
}: {
  number: number;
  run: number;
  me: Person;
  show: (job: number, run?: number) => void;
}) {
  const one = useJob(number);
  const runs = useJobRuns(number);
  if (one.isError)
    return (
      <Panel title={`Job ${number}`}>
        <Failure error={one.error} retry={() => void one.refetch()} />
      </Panel>
    );
  const j = one.data;
  if (!j) return <Panel title={`Job ${number}`}>{null}</Panel>;
  const list = runs.data?.items ?? [];
  const shown = run || j.last?.number || 0;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <Panel
        title={`Job ${j.number}: ${j.title}`}
        aside={
          <Button kind="quiet" className="!h-6 text-buff-ink" onClick={() => show(0)}>
            Close the panel
          </Button>
        }
      >
        <div className="grid gap-2 p-3">
          <p>
            Done {j.text}, on{" "}
            {jobOn(j) === everything ? everything : <span className="font-mono text-sm">{jobOn(j)}</span>}, by the
            rights of {j.owner}.{j.next_at && ` Next ${dayTime(j.next_at)}.`}
            {j.state === "held" && " It is held: it is not done until it is released."}
          </p>
          {allowed(me, "operate", "jobs") && <Acts j={j} gone={() => show(0)} show={show} />}
        </div>
        {list.length > 1 && (
          <ScrollRegion label="Runs" className="max-h-44 overflow-auto border-t border-rule">
            <table className="w-full border-collapse text-left text-sm">
              <tbody>
                {list.map((r) => (
                  <tr
                    key={r.number}
                    aria-selected={r.number === shown}
                    onClick={() => show(number, r.number)}
                    className="cursor-pointer border-b border-rule/60 last:border-0 hover:bg-ground aria-selected:bg-buff aria-selected:text-buff-ink"
                  >
                    <td className="w-px whitespace-nowrap px-3 py-0.5">
                      <button
                        type="button"
                        className="hover:underline"
                        onClick={(e) => {
                          e.stopPropagation();
                          show(number, r.number);
                        }}
                      >
                        Run {r.number}
                      </button>
                    </td>
                    <td className="px-2">{dayTime(r.begun_at)}</td>
                    <td className="px-2">
                      <RunMark r={r} />
                    </td>
                    <td className="px-3 text-right text-soft">{r.by ? `by ${r.by}` : ""}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </ScrollRegion>
        )}
      </Panel>
      {shown > 0 && <Run number={shown} elsewhere={j.kind === "search"} me={me} show={show} />}
    </div>
  );
}

const everything = "all devices";

/** What a job is about: the addresses of a search, else what picks its devices. */
const jobOn = (j: Job) => j.args.targets || j.where || everything;

function Acts({ j, gone, show }: { j: Job; gone: () => void; show: (job: number, run?: number) => void }) {
  const act = useActOnJob();
  const remove = useRemoveJob();
  const [sure, setSure] = useState(false);
  const open = j.last !== undefined && j.last.ended_at === undefined;
  const go = (what: "begin" | "hold" | "release") =>
    act.mutate(
      { number: j.number, act: what },
      {
        onSuccess: (now) => what === "begin" && show(j.number, now.last?.number),
        onError: (e) => toast.error(e.message),
      },
    );
  return (
    <div className="flex flex-wrap gap-1.5">
      <Button disabled={open || act.isPending} onClick={() => go("begin")}>
        Do it now
      </Button>
      {j.state === "active" && (
        <Button disabled={act.isPending} onClick={() => go("hold")}>
          Hold
        </Button>
      )}
      {j.state === "held" && (
        <Button disabled={act.isPending} onClick={() => go("release")}>
          Release
        </Button>
      )}
      <Button kind="danger" disabled={open} onClick={() => setSure(true)}>
        Remove…
      </Button>
      <Modal
        open={sure}
        onOpenChange={setSure}
        title={`Remove job ${j.number}?`}
        description="It is not done any more, and what came of its runs is forgotten."
      >
        <div className="flex justify-end gap-2">
          <Button onClick={() => setSure(false)}>Leave it</Button>
          <Button
            kind="danger"
            disabled={remove.isPending}
            onClick={() => remove.mutate(j.number, { onSuccess: gone, onError: (e) => toast.error(e.message) })}
          >
            Remove
          </Button>
        </div>
      </Modal>
    </div>
  );
}

const stepShape: Record<JobStep["state"], string> = {
  waiting: "unknown",
  running: "trial",
  done: "well",
  unchanged: "well",
  failed: "down",
  skipped: "off",
};

/** A run, and what came of it on each device, while it comes. */
function Run({
  number,
  elsewhere,
  me,
  show,
}: {
  number: number;
  elsewhere: boolean;
  me: Person;
  show: (job: number, run?: number) => void;
}) {
  const one = useJobRun(number);
  const act = useActOnRun();
  const kept = useKept();
  if (one.isError)
    return (
      <Panel title={`Run ${number}`}>
        <Failure error={one.error} retry={() => void one.refetch()} />
      </Panel>
    );
  const r = one.data;
  if (!r) return <Panel title={`Run ${number}`}>{null}</Panel>;
  const open = r.ended_at === undefined;
  const waves = new Set(r.steps.map((s) => s.wave)).size > 1;
  const go = (what: "pause" | "resume" | "cancel" | "retry") =>
    act.mutate(
      { number, act: what },
      { onSuccess: (now) => what === "retry" && show(now.job, now.number), onError: (e) => toast.error(e.message) },
    );
  return (
    <Panel
      title={`Run ${r.number}, begun ${dayTime(r.begun_at)}${r.by ? ` by ${r.by}` : ""}`}
      aside={r.ended_at && `took ${span(new Date(r.ended_at).getTime() - new Date(r.begun_at).getTime())}`}
    >
      <div className="grid gap-1.5 border-b border-rule p-3">
        <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
          <HealthMark state={runShape[r.state]} word={r.state === "waiting" ? "waiting for its hours" : r.state} />
          <span className="text-soft">
            {["done", "unchanged", "running", "waiting", "failed", "skipped"]
              .filter((s) => r.counts[s])
              .map((s) => `${r.counts[s]} ${s}`)
              .join(", ")}
          </span>
          <span className="grow" />
          {allowed(me, "operate", "jobs") && open && r.state !== "paused" && (
            <Button className="!h-6" disabled={act.isPending} onClick={() => go("pause")}>
              Pause
            </Button>
          )}
          {allowed(me, "operate", "jobs") && r.state === "paused" && (
            <Button className="!h-6" disabled={act.isPending} onClick={() => go("resume")}>
              Go on
            </Button>
          )}
          {allowed(me, "operate", "jobs") && open && (
            <Button className="!h-6" kind="danger" disabled={act.isPending} onClick={() => go("cancel")}>
              Cancel
            </Button>
          )}
          {allowed(me, "operate", "jobs") && !open && (r.counts.failed ?? 0) + (r.counts.skipped ?? 0) > 0 && (
            <Button className="!h-6" disabled={act.isPending} onClick={() => go("retry")}>
              Do again what failed
            </Button>
          )}
        </div>
        {open && <Bar counts={r.counts} />}
        {r.why && <p className={r.state === "failed" || r.state === "missed" ? "text-down" : "text-soft"}>{r.why}</p>}
      </div>
      {elsewhere && r.ended_at && (
        <p className="border-b border-rule px-3 py-1.5">
          <Link to={kept("/discover")}>Look at what was found</Link>
        </p>
      )}
      {r.steps.length > 0 && (
        <ScrollRegion label="Steps" className="max-h-[460px] overflow-auto">
          <table className="w-full border-collapse text-left text-sm">
            <thead className="sticky top-0 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
              <tr>
                {[...(waves ? ["Wave"] : []), elsewhere ? "Addresses" : "Device", "State", "What"].map((h) => (
                  <th key={h} scope="col" className="h-7 px-3 font-medium">
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {r.steps.map((s) => (
                <tr key={s.device} className="border-t border-rule/60 first:border-0">
                  {waves && <td className="px-3 py-0.5 tabular-nums">{s.wave}</td>}
                  <td className="whitespace-nowrap px-3 py-0.5 font-mono">
                    {elsewhere ? s.device : <Link to={kept(`/devices/${s.device}`)}>{s.device}</Link>}
                  </td>
                  <td className="px-3 py-0.5">
                    <HealthMark state={stepShape[s.state]} word={s.state} />
                  </td>
                  <td className={`w-full px-3 py-0.5 ${s.state === "failed" ? "text-down" : ""}`}>
                    {s.state === "running" || s.state === "failed"
                      ? [s.doing, s.note].filter(Boolean).join(": ")
                      : s.note}
                    {s.state === "running" && s.percent ? ` ${s.percent} %` : ""}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </ScrollRegion>
      )}
    </Panel>
  );
}

/** How far a run is. */
function Bar({ counts }: { counts: JobRun["counts"] }) {
  const all = allOf(counts);
  const done = through(counts);
  return (
    <div
      role="progressbar"
      aria-label="How far it is"
      aria-valuemin={0}
      aria-valuemax={all}
      aria-valuenow={done}
      className="h-1.5 overflow-hidden rounded-sm bg-rule"
    >
      <div className="h-full bg-accent" style={{ width: `${all ? (100 * done) / all : 0}%` }} />
    </div>
  );
}
