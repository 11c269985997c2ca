import { Link } from "react-router";
import {
  type Alarm,
  allowed,
  type Device,
  type Drift,
  type HappenedEvent,
  type Person,
  type Port,
} from "../../api/client";
import { both, useList } from "../../api/lists";
import { useChanges, useEvents } from "../../api/queries";
import { useKept, useScope } from "../../app/view";
import { Empty, Failure, Panel } from "../../ui/controls";
import { changeShape, HealthMark, Shape } from "../../ui/health";
import { Strip } from "../../ui/strip";
import { Ago, clock, many } from "../../ui/time";
import { useAlarms } from "../alarms/queries";
import { useStrips } from "../history/queries";
import { type Range, RangeBar, useRange } from "../history/range";
import { useDrift } from "../layers/queries";
import { Summary } from "./Summary";

export function WatchPage({ me }: { me: Person }) {
  const range = useRange();
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <h1 className="sr-only">Watch</h1>
      <Attention me={me} />
      <div className="flex flex-wrap items-center justify-end gap-2">
        <span className="text-sm text-soft">What was, in the last</span>
        <RangeBar range={range} />
      </div>
      <Summary range={range} />
      <div className="grid gap-3 xl:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
        <Sites />
        <Happened range={range} />
      </div>
    </div>
  );
}

/** What needs somebody: devices away, ports that lost their link, changes that wait for a word. */
function Attention({ me }: { me: Person }) {
  const [scope] = useScope();
  const kept = useKept();
  const all = useList("devices", { where: scope, limit: 0 });
  const devices = useList("devices", {
    where: both(scope, "health in (down, degraded)"),
    sort: "-site,name",
    limit: 50,
  });
  const ports = useList("ports", { where: both(scope, "port.health = down"), sort: "port.changed", limit: 50 });
  const changes = useChanges();
  const drift = useDrift();
  const told = allowed(me, "see", "alarms"); // then alarms say it, with what follows from what
  const alarms = useAlarms(scope, undefined, told);
  if (devices.isError) return <Failure error={devices.error} retry={() => void devices.refetch()} />;
  const open = alarms.data?.items ?? [];
  const away = told ? [] : (devices.data?.items ?? []);
  const said = new Set(open.flatMap((a) => [a.resource, ...(a.text.match(/[\w-]+:[\w/.-]*\w/g) ?? [])]));
  const cut = (ports.data?.items ?? []).filter((p) => !said.has(p.ref));
  const trials =
    changes.data?.items.filter((c) => ["pushing", "on-trial", "keeping", "undoing"].includes(c.state)) ?? [];
  const drifts = told ? [] : (drift.data?.items ?? []).filter((d) => d.control !== "local");
  const none =
    devices.data &&
    ports.data &&
    (!told || alarms.data) &&
    open.length + away.length + cut.length + trials.length + drifts.length === 0;
  return (
    <Panel
      title="Needs attention"
      aside={
        none
          ? ""
          : [
              open.length && many(open.length, "alarm"),
              away.length && many(devices.data?.total ?? 0, "device"),
              cut.length && many(told ? cut.length : (ports.data?.total ?? 0), "port"),
              trials.length && many(trials.length, "change"),
              drifts.length && `${drifts.length} drifted`,
            ]
              .filter(Boolean)
              .join(", ")
      }
    >
      {none && (
        <p className="flex items-center gap-2 px-3 py-3">
          <Shape state="well" /> All {all.data?.total} devices are in hand, and no port that was in use has lost its
          link.
        </p>
      )}
      <ul className="divide-y divide-rule/60">
        {trials.map((c) => (
          <Row
            key={c.number}
            state={changeShape(c.state)}
            to={`${kept("/watch").split("?")[0]}?tray=${c.number}`}
            name={`Change ${c.number}`}
            text={`${c.state === "on-trial" ? "is on trial: keep or undo it" : `is ${c.state}`}${c.why ? ` — ${c.why}` : ""}`}
            at={c.updated_at}
          />
        ))}
        {open.slice(0, shownAlarms).map((a) => (
          <Row
            key={a.number}
            state={a.severity}
            to={kept(`/alarms?alarm=${a.number}`)}
            name={a.resource || "this service"}
            text={`${withoutSubject(a)}${a.followers > 0 ? ` ${many(a.followers, "alarm")} more ${a.followers === 1 ? "follows" : "follow"} from it.` : ""}${a.acked_by ? ` Seen by ${a.acked_by}.` : ""}`}
            at={a.raised_at}
          />
        ))}
        {open.length > shownAlarms && (
          <li className="px-3 py-1">
            <Link to={kept("/alarms")}>{many(open.length - shownAlarms, "more alarm")}</Link>
          </li>
        )}
        {away.map((d: Device) => (
          <Row
            key={d.name}
            state={d.health}
            to={kept(`/devices/${d.name}`)}
            name={d.name}
            text={
              d.health === "degraded"
                ? (d.troubles ?? []).join(" ")
                : d.reach === "refused"
                  ? `does not let the service in: ${d.why}`
                  : `is gone: ${d.why}`
            }
            at={d.health === "degraded" ? "" : d.since}
          />
        ))}
        {drifts.map((d) => (
          <Row
            key={d.device}
            state="degraded"
            to="/drift"
            name={d.device}
            text={`runs ${many(d.differences.length, "setting")} other than intended${whoSet(d)}`}
            at={d.differences[0]?.since ?? ""}
          />
        ))}
        {cut.map((p: Port) => (
          <Row
            key={p.ref}
            state="down"
            to={`/devices/${p.device}?sel=${encodeURIComponent(p.port)}`}
            name={p.ref}
            text={`${p.shut_by ? shutWord(p.shut_by) : "lost its link"}${p.description ? ` — ${p.description}` : ""}${p.peer ? `, to ${p.peer.system}:${p.peer.port}` : ""}`}
            at={p.changed_at}
          />
        ))}
      </ul>
    </Panel>
  );
}

const shownAlarms = 12;

/** What an alarm says, without the name that stands before it. */
const withoutSubject = (a: Alarm) =>
  a.text.startsWith(`${a.resource}: `)
    ? a.text.slice(a.resource.length + 2)
    : a.text.startsWith(`${a.resource} `)
      ? a.text.slice(a.resource.length + 1)
      : a.text;

/** What on the device itself shut a port that ought to have a link. */
function shutWord(by: string): string {
  return (
    {
      "flap-guard": "was shut by its flap guard",
      "loop-protection": "was shut by loop protection",
      "bpdu-guard": "was shut by its BPDU guard",
    }[by] ?? `was shut by the device (${by})`
  );
}

/** Who set what differs, as far as devices told. */
function whoSet(d: Drift): string {
  const by = [...new Set(d.differences.map((x) => x.by).filter(Boolean))];
  return by.length > 0 ? `, set by ${by.join(", ")}` : "";
}

function Row({ state, to, name, text, at }: { state: string; to: string; name: string; text: string; at: string }) {
  return (
    <li className="flex min-h-[30px] items-center gap-2.5 px-3 py-1">
      <Shape state={state} />
      <Link to={to} className="shrink-0 font-mono text-sm">
        {name}
      </Link>
      <span className="min-w-0 grow truncate" title={text}>
        {text}
      </span>
      <span className="shrink-0 text-sm text-soft">{at && <Ago at={at} />}</span>
    </li>
  );
}

function Sites() {
  const [scope, setScope] = useScope();
  const kept = useKept();
  const sites = useList("sites", { where: scope });
  const strips = useStrips("site", scope);
  const strip = (name: string) => strips.data?.items.find((x) => x.name === name);
  if (sites.isError) return <Failure error={sites.error} retry={() => void sites.refetch()} />;
  return (
    <Panel title="Sites" aside={sites.data && `${many(sites.data.total, "site")}, each with its last 24 hours`}>
      <ul className="divide-y divide-rule/60">
        {sites.data?.items.map((s) => (
          <li
            key={s.name}
            className="grid min-h-9 grid-cols-[minmax(0,1fr)_auto] items-center gap-x-3 px-3 py-1 md:grid-cols-[minmax(0,1fr)_132px_250px]"
          >
            <span className="flex min-w-0 items-baseline gap-2">
              <button
                type="button"
                className="max-w-full shrink-0 truncate text-left text-accent hover:underline"
                onClick={() => setScope(`site = ${s.name}`)}
                title={`Narrow every page to ${s.title}`}
              >
                {s.title}
              </button>
              <span className="truncate text-xs text-soft max-md:hidden">{s.address}</span>
            </span>
            <span className="max-md:hidden">
              <DayStrip x={strip(s.name)} all={strips.data} />
            </span>
            <span className="flex items-center justify-end gap-3">
              <Count state="down" n={s.devices.down} />
              <Count state="degraded" n={s.devices.degraded} />
              <Count state="unknown" n={s.devices.unknown} />
              <Count state="well" n={s.devices.well} />
              <Link
                to={`${kept("/devices").split("?")[0]}?scope=${encodeURIComponent(`site = ${s.name}`)}`}
                className="w-20 text-right text-sm"
              >
                {many(s.devices.total, "device")}
              </Link>
            </span>
          </li>
        ))}
      </ul>
      {sites.data?.total === 0 &&
        (scope ? (
          <Empty title="No site is in the scope">Clear the scope line to see all.</Empty>
        ) : (
          <Empty title="There are no sites yet">Make one, then enrol its first device.</Empty>
        ))}
    </Panel>
  );
}

function DayStrip({ x, all }: { x?: { name: string; steps: string[] }; all?: { from: string; step_s: number } }) {
  return x && all ? <Strip of={x.name} from={all.from} step={all.step_s} steps={x.steps} /> : null;
}

function Count({ state, n }: { state: string; n: number }) {
  if (n === 0) return null;
  return <HealthMark state={state} word={`${n} ${state}`} />;
}

/** How many ports are up, as a number and a bar. */
export function PortsUp({ d }: { d: Device }) {
  const part = d.ports.total ? d.ports.well / d.ports.total : 0;
  return (
    <span className="flex items-center gap-2 text-sm" title={`${d.ports.well} of ${d.ports.total} ports up`}>
      <span className="relative h-1.5 w-12 shrink-0 bg-rule" aria-hidden>
        <span className="absolute inset-y-0 left-0 bg-soft" style={{ width: `${part * 100}%` }} />
      </span>
      {d.ports.well}/{d.ports.total}
    </span>
  );
}

/** Runs of the same that happened to many devices, as one line each. */
function fold(list: HappenedEvent[]): HappenedEvent[][] {
  const out: HappenedEvent[][] = [];
  const same = (e: HappenedEvent) => (e.device && !e.port ? (e.text ?? "").split(e.device).join("…") : "");
  for (const e of list) {
    const last = out.at(-1);
    if (last?.[0] && same(e) && same(last[0]) === same(e)) last.push(e);
    else out.push([e]);
  }
  return out;
}

/** What happened to many, said of all of them. */
const together = (e: HappenedEvent) =>
  (e.text ?? "")
    .replace(e.device ?? "", "")
    .replace(/^[ :]+/, "")
    .replace(/^is /, "are ")
    .replace(/^was /, "were ");

function Happened({ range }: { range: Range }) {
  const [scope] = useScope();
  const events = useEvents(300, scope, agesOf(range));
  const long = range.picked ? range.picked.to - range.picked.from > 86_400 : !range.period.endsWith("h");
  return (
    <Panel title="What happened" aside={range.picked ? "in the time that is picked" : `in the last ${range.period}`}>
      {events.isError && <Failure error={events.error} retry={() => void events.refetch()} />}
      {events.data?.items.length === 0 && <Empty title="Nothing has happened in this time" />}
      <ol className="max-h-[62vh] divide-y divide-rule/60 overflow-auto" tabIndex={-1}>
        {fold(events.data?.items ?? []).map((run) => {
          const e = run[0] as HappenedEvent;
          const named = [...new Set(run.map((x) => x.device ?? ""))];
          return (
            <li
              key={`${e.at} ${e.text}`}
              className={`grid gap-2 px-3 py-1 ${long ? "grid-cols-[110px_minmax(0,1fr)]" : "grid-cols-[64px_minmax(0,1fr)]"}`}
            >
              <time dateTime={e.at} title={new Date(e.at).toLocaleString()} className="font-mono text-sm text-soft">
                {long && new Date(e.at).toLocaleDateString("en-GB", { day: "2-digit", month: "2-digit" })} {clock(e.at)}
              </time>
              {named.length > 1 ? (
                <details>
                  <summary className="cursor-pointer">
                    {named.length} devices {together(e)}
                  </summary>
                  <span className="flex flex-wrap gap-x-3">
                    {named.map((device) => (
                      <Link key={device} to={`/devices/${device}`} className="font-mono text-sm">
                        {device}
                      </Link>
                    ))}
                  </span>
                </details>
              ) : (
                <span>
                  {e.device ? <Named e={e} /> : e.text}
                  {e.imported_by && <span className="text-soft"> (imported by {e.imported_by})</span>}
                </span>
              )}
            </li>
          );
        })}
      </ol>
    </Panel>
  );
}

/** What happened in the time that is shown, as a selector. */
function agesOf(range: Range): string {
  if (!range.picked) return `event.age <= ${range.period}`;
  const minutes = (at: number) => Math.max(0, Math.ceil((Date.now() / 1000 - at) / 60));
  const age = (m: number) => (m < 60_000 ? `${m}m` : `${Math.ceil(m / 60)}h`);
  return `event.age <= ${age(minutes(range.picked.from))} and event.age >= ${age(Math.max(0, minutes(range.picked.to) - 1))}`;
}

/** The sentence of an event, with its device as a link. */
function Named({ e }: { e: HappenedEvent }) {
  const name = e.port ? `${e.device}:${e.port}` : (e.device ?? "");
  const [before, ...after] = (e.text ?? "").split(name);
  if (after.length === 0) return <>{e.text}</>;
  return (
    <>
      {before}
      <Link
        to={`/devices/${e.device}${e.port ? `?sel=${encodeURIComponent(e.port)}` : ""}`}
        className="font-mono text-sm"
      >
        {name}
      </Link>
      {after.join(name)}
    </>
  );
}
