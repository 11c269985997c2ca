import { Link } from "react-router";
import type { Device, HappenedEvent, Port } from "../../api/client";
import { useChanges, useDevices, useEvents, usePorts, useSites } from "../../api/queries";
import { useKept, useView } from "../../app/view";
import { Empty, Failure, Panel } from "../../ui/controls";
import { changeShape, HealthMark, Shape } from "../../ui/health";
import { KindIcon } from "../../ui/kinds";
import { Ago, clock, many } from "../../ui/time";

export function WatchPage() {
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <h1 className="sr-only">Watch</h1>
      <Attention />
      <div className="grid gap-3 xl:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
        <Sites />
        <Happened />
      </div>
    </div>
  );
}

/** What needs somebody: devices away, ports that lost their link, changes that wait for a word. */
function Attention() {
  const [q] = useView("q");
  const kept = useKept();
  const devices = useDevices(q);
  const ports = usePorts(q);
  const changes = useChanges();
  if (devices.isError) return <Failure error={devices.error} retry={() => void devices.refetch()} />;
  const away = devices.data?.items.filter((d) => d.health === "down") ?? [];
  const cut = ports.data?.items.filter((p) => p.health === "down") ?? [];
  const trials =
    changes.data?.items.filter((c) => ["pushing", "on-trial", "keeping", "undoing"].includes(c.state)) ?? [];
  const none = devices.data && ports.data && away.length + cut.length + trials.length === 0;
  return (
    <Panel
      title="Needs attention"
      aside={
        none
          ? ""
          : [
              away.length && many(away.length, "device"),
              cut.length && many(cut.length, "port"),
              trials.length && many(trials.length, "change"),
            ]
              .filter(Boolean)
              .join(", ")
      }
    >
      {none && (
        <p className="flex items-center gap-2 px-3 py-3">
          <Shape state="well" /> All {devices.data?.items.length} devices are in hand, and no port that was in use has
          lost its link.
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
        {away.map((d: Device) => (
          <Row
            key={d.name}
            state="down"
            to={kept(`/devices/${d.name}`)}
            name={d.name}
            text={d.reach === "refused" ? `does not let the service in: ${d.why}` : `is gone: ${d.why}`}
            at={d.since}
          />
        ))}
        {cut.map((p: Port) => (
          <Row
            key={p.ref}
            state="down"
            to={`/devices/${p.device}?sel=${encodeURIComponent(p.port)}`}
            name={p.ref}
            text={`lost its link${p.description ? ` — ${p.description}` : ""}${p.peer ? `, to ${p.peer.system}:${p.peer.port}` : ""}`}
            at={p.changed_at}
          />
        ))}
      </ul>
    </Panel>
  );
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
      <span className="shrink-0 text-sm text-soft">
        <Ago at={at} />
      </span>
    </li>
  );
}

function Sites() {
  const [q] = useView("q");
  const sites = useSites();
  const devices = useDevices(q);
  if (sites.isError) return <Failure error={sites.error} retry={() => void sites.refetch()} />;
  return (
    <div className="grid content-start gap-3">
      {sites.data?.items.map((s) => {
        const here = devices.data?.items.filter((d) => d.site === s.name) ?? [];
        return (
          <Panel
            key={s.name}
            title={s.title}
            aside={
              <span className="flex gap-3">
                <Count state="well" n={s.devices.well} />
                <Count state="down" n={s.devices.down} />
                <Count state="unknown" n={s.devices.unknown} />
                <span className="whitespace-nowrap max-md:hidden">
                  {s.ports.well} of {s.ports.total} ports up
                </span>
              </span>
            }
          >
            {here.length === 0 ? (
              <Empty title="No device here is in the scope">Clear the scope line to see all.</Empty>
            ) : (
              <ul className="divide-y divide-rule/60">
                {here.map((d) => (
                  <li
                    key={d.name}
                    className="grid h-9 grid-cols-[22px_116px_100px_minmax(0,1fr)_110px] items-center gap-2 px-3"
                  >
                    <span className="text-soft">
                      <KindIcon kind={d.kind} />
                    </span>
                    <Link to={`/devices/${d.name}`} className="font-mono text-sm">
                      {d.name}
                    </Link>
                    <HealthMark state={d.health} />
                    <span className="truncate text-soft">
                      {d.maker} {d.model}
                    </span>
                    <PortsUp d={d} />
                  </li>
                ))}
              </ul>
            )}
          </Panel>
        );
      })}
      {sites.data?.items.length === 0 && (
        <Empty title="There are no sites yet">Make one, then adopt its first device.</Empty>
      )}
    </div>
  );
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

function Happened() {
  const events = useEvents(60);
  return (
    <Panel title="What happened" aside="newest first">
      {events.isError && <Failure error={events.error} retry={() => void events.refetch()} />}
      {events.data?.items.length === 0 && <Empty title="Nothing has happened yet" />}
      <ol className="max-h-[62vh] divide-y divide-rule/60 overflow-auto" tabIndex={-1}>
        {events.data?.items.map((e: HappenedEvent) => (
          <li key={`${e.at} ${e.text}`} className="grid grid-cols-[64px_minmax(0,1fr)] gap-2 px-3 py-1">
            <time dateTime={e.at} title={new Date(e.at).toLocaleString()} className="font-mono text-sm text-soft">
              {clock(e.at)}
            </time>
            <span>{e.device ? <Named e={e} /> : e.text}</span>
          </li>
        ))}
      </ol>
    </Panel>
  );
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
