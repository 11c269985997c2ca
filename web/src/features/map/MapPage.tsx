import { clsx } from "clsx";
import { RotateCcw } from "lucide-react";
import { Suspense, useMemo, useState } from "react";
import { Link, useNavigate } from "react-router";
import { allowed, type Line, type MapDevice, type NetworkMap, type Person } from "../../api/client";
import { both, quote, useList, usePreference } from "../../api/lists";
import { useKept, useScope, useView } from "../../app/view";
import { Button, Empty, Failure, inputClass, Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { late } from "../../ui/late";
import { many } from "../../ui/time";
import type { ToJoin } from "../between/JoinDialog";
import { drawDevices, drawSites, lineLabel, type Tie } from "./drawing";
import { FailuresView } from "./FailuresView";
import { LinksView } from "./LinksView";
import { PlacesView } from "./PlacesView";
import { useMap } from "./queries";
import { RacksView } from "./RacksView";

const JoinDialog = late(() => import("../between/JoinDialog").then((m) => ({ default: m.JoinDialog })));
const Chart = late(() => import("./Chart").then((m) => ({ default: m.Chart })));

const views = [
  ["", "Topology"],
  ["places", "Places"],
  ["racks", "Racks"],
  ["links", "Links"],
  ["failures", "What if"],
] as const;

/** How the network hangs together: by what neighbours report, on the earth, and in racks. */
export function MapPage({ me }: { me: Person }) {
  const [view, setView] = useView("view");
  return (
    <div className="flex h-full flex-col gap-3">
      <div className="flex items-center gap-4">
        <h1 className="text-lg font-semibold">Map</h1>
        <fieldset className="flex rounded-sm border border-rule" aria-label="View">
          {views.map(([value, word]) => (
            <button
              key={value}
              type="button"
              aria-pressed={view === value}
              onClick={() => setView(value)}
              className={clsx("h-7 px-3", view === value ? "bg-buff font-semibold text-buff-ink" : "hover:bg-panel")}
            >
              {word}
            </button>
          ))}
        </fieldset>
      </div>
      {view === "places" ? (
        <PlacesView />
      ) : view === "racks" ? (
        <RacksView />
      ) : view === "links" ? (
        <LinksView />
      ) : view === "failures" ? (
        <FailuresView />
      ) : (
        <Topology me={me} />
      )}
    </div>
  );
}

const most = 400; // devices that are drawn one by one

function Topology({ me }: { me: Person }) {
  const [scope] = useScope();
  const [site, setSite] = useView("site");
  const [vlanText, setVlan] = useView("vlan");
  const [pick, setPick] = useView("pick");
  const [from, setFrom] = useState(""); // what is to be joined to the next that is picked
  const [joining, join] = useState<ToJoin>();
  const vlan = Number(vlanText) || 0;
  const where = both(scope, site && `site = ${quote(site)}`);
  const byDevice = Boolean(site || scope || vlan);
  const map = useMap(where, vlan);
  const sites = useList("sites", { sort: "site.title" });
  const vlans = useList("devices", { where, count: "vlan", limit: 0 });
  const key = `map.${byDevice ? site || "all" : "sites"}`.slice(0, 64);
  const [kept, setKept] = usePreference<Record<string, [number, number]>>(key, {});
  const navigate = useNavigate();
  const keptPath = useKept();
  const drawing = useMemo(() => {
    if (!map.data) return null;
    return byDevice ? drawDevices(map.data, vlan) : drawSites(map.data, sites.data?.items ?? []);
  }, [map.data, byDevice, vlan, sites.data]);
  if (map.isError) return <Failure error={map.error} retry={() => void map.refetch()} />;
  const open = (id: string) => {
    if (byDevice) navigate(keptPath(`/devices/${id}`));
    else {
      setPick("");
      setSite(id);
    }
  };
  const joins = (id: string) =>
    byDevice
      ? map.data?.devices.some((d) => d.name === id && d.kind === "edge")
      : sites.data?.items.some((s) => s.name === id);
  const picked = (id: string) => {
    if (from && id !== from && joins(id)) {
      join(
        byDevice
          ? { a: from, b: id }
          : { hubs: `kind = edge and site = ${quote(from)}`, spokes: `kind = edge and site = ${quote(id)}` },
      );
      setFrom("");
    }
    setPick(id);
  };
  const vlanIds = (vlans.data?.counts?.vlan ?? []).map((c) => Number(c.value)).sort((a, b) => a - b);
  return (
    <>
      <div className="flex flex-wrap items-center gap-4">
        <label className="flex items-center gap-2">
          Site
          <select value={site} onChange={(e) => setSite(e.target.value)} className={`${inputClass} !w-52`}>
            <option value="">{byDevice && !site ? "all that is in the scope" : "all sites"}</option>
            {sites.data?.items.map((s) => (
              <option key={s.name} value={s.name}>
                {s.title}
              </option>
            ))}
          </select>
        </label>
        <label className="flex items-center gap-2">
          VLAN
          <select value={vlanText} onChange={(e) => setVlan(e.target.value)} className={`${inputClass} !w-28`}>
            <option value="">any</option>
            {vlanIds.map((v) => (
              <option key={v} value={v}>
                {v}
              </option>
            ))}
          </select>
        </label>
        {vlan > 0 && map.data && <VlanSummary vlan={vlan} m={map.data} />}
        <span className="grow" />
        {Object.keys(kept).length > 0 && (
          <Button onClick={() => setKept(null)}>
            <RotateCcw size={13} aria-hidden /> Arrange anew
          </Button>
        )}
      </div>
      <div
        className={clsx(
          "grid min-h-[420px] grow grid-cols-[minmax(0,1fr)] gap-3",
          pick && "lg:grid-cols-[minmax(0,1fr)_270px]",
        )}
      >
        <section aria-label="Topology" className="relative overflow-hidden rounded border border-rule bg-ground">
          <Legend byDevice={byDevice} />
          {from && (
            <p
              role="status"
              className="absolute left-2 top-2 z-10 flex items-center gap-3 rounded border border-accent bg-panel px-3 py-1.5"
            >
              <span>
                Pick the {byDevice ? "edge" : "site"} to which <span className="font-mono">{from}</span> is to be
                joined.
              </span>
              <Button onClick={() => setFrom("")}>Leave it</Button>
            </p>
          )}
          {drawing && drawing.spots.length === 0 && <Empty title="No device is in the scope" />}
          {drawing && drawing.spots.length > most && (
            <Empty title={`${drawing.spots.length} devices are too many to draw one by one`}>
              Choose a site, or narrow the scope.
            </Empty>
          )}
          {drawing && drawing.spots.length > 0 && drawing.spots.length <= most && (
            <Suspense>
              <Chart
                key={key}
                drawing={drawing}
                vlan={vlan > 0}
                round={!byDevice}
                kept={kept}
                onKept={setKept}
                pick={pick}
                onPick={picked}
                onOpen={open}
              />
            </Suspense>
          )}
        </section>
        {drawing && map.data && (
          <Aside
            m={map.data}
            ties={drawing.ties}
            pick={pick}
            open={open}
            byDevice={byDevice}
            toJoin={allowed(me, "change", "ports") && joins(pick) && pick !== from ? () => setFrom(pick) : undefined}
          />
        )}
      </div>
      {joining && (
        <Suspense>
          <JoinDialog me={me} start={joining} close={() => join(undefined)} />
        </Suspense>
      )}
    </>
  );
}

function VlanSummary({ vlan, m }: { vlan: number; m: NetworkMap }) {
  const stopped = m.lines.filter((l) => l.vlan === "stopped").length;
  const carried = m.lines.filter((l) => l.vlan === "carried").length;
  const ports = m.devices.reduce((n, d) => n + (d.vlan_ports ?? 0), 0);
  return (
    <span className="text-soft">
      VLAN {vlan}: {many(ports, "access port")}, carried by {many(carried, "link")}
      {stopped > 0 && (
        <>
          , <strong className="text-down">stopped on {stopped}</strong>
        </>
      )}
    </span>
  );
}

function Aside({
  m,
  ties,
  pick,
  open,
  byDevice,
  toJoin,
}: {
  m: NetworkMap;
  ties: Tie[];
  pick: string;
  open: (id: string) => void;
  byDevice: boolean;
  toJoin?: () => void;
}) {
  const tie = ties.find((t) => t.id === pick);
  const device = byDevice ? m.devices.find((d) => d.name === pick) : undefined;
  const of = (id: string) => ties.filter((t) => t.a === id || t.b === id);
  if (tie)
    return (
      <Panel title={tie.lines.length > 1 ? many(tie.lines.length, "link") : "Link"} className="overflow-auto">
        <ul className="grid gap-3 p-3">
          {tie.lines.map((l) => (
            <li key={`${l.a.device}${l.a.name}${l.b.device}${l.b.name}`}>
              <LineFacts l={l} />
            </li>
          ))}
        </ul>
      </Panel>
    );
  if (device)
    return (
      <Panel title={device.name} className="overflow-auto">
        <DeviceFacts d={device} />
        {toJoin && (
          <div className="border-b border-rule p-3">
            <Button onClick={toJoin}>Join to another edge…</Button>
          </div>
        )}
        <Joined ties={of(device.name)} from={device.name} />
      </Panel>
    );
  if (pick && !byDevice)
    return (
      <Panel title={pick} className="overflow-auto">
        <div className="p-3">
          <Button kind="main" onClick={() => open(pick)}>
            Show its devices
          </Button>
          {toJoin && (
            <Button className="mt-2" onClick={toJoin}>
              Join to another site…
            </Button>
          )}
        </div>
        <Joined ties={of(pick)} from={pick} />
      </Panel>
    );
  return null;
}

function Legend({ byDevice }: { byDevice: boolean }) {
  return (
    <details className="absolute right-2 top-2 z-10 max-w-[280px] rounded border border-rule bg-panel">
      <summary className="cursor-pointer px-2.5 py-1 text-sm font-medium">Legend</summary>
      <dl className="grid grid-cols-[56px_minmax(0,1fr)] items-center gap-x-3 gap-y-1.5 px-3 pb-2 text-sm">
        <Sample dash="" width={3} what="cable or bundle, 10 Gbit/s and more" />
        <Sample dash="" width={2} what="1 Gbit/s" />
        <Sample dash="2 4" width={2} what="radio link" />
        <Sample dash="7 5" width={1.5} what="tunnel over an underlay" />
        <Sample dash="" width={2} color="var(--down)" what="down" />
        <Sample dash="" width={2} color="var(--degraded)" what="a part is down" />
        <Sample dash="" width={3} color="var(--accent)" what="carries the VLAN" />
        <Sample dash="4 4" width={1.5} color="var(--accent)" what="would, but spanning tree holds it back" />
        <dt className="text-center text-lg leading-none">⊗</dt>
        <dd>the end that spanning tree blocks</dd>
      </dl>
      <p className="px-3 pb-2 text-sm text-soft">
        Pick a {byDevice ? "device" : "site"} or a link for its particulars; double-click opens. Drag to arrange by
        hand: it stays so for you.
      </p>
    </details>
  );
}

function Sample({
  dash,
  width,
  what,
  color = "var(--soft)",
}: {
  dash: string;
  width: number;
  what: string;
  color?: string;
}) {
  return (
    <>
      <dt>
        <svg width="56" height="10" aria-hidden="true">
          <path d="M2 5h52" stroke={color} strokeWidth={width} strokeDasharray={dash} />
        </svg>
      </dt>
      <dd>{what}</dd>
    </>
  );
}

function DeviceFacts({ d }: { d: MapDevice }) {
  return (
    <div className="grid gap-1 border-b border-rule p-3">
      <HealthMark state={d.health} />
      <span>
        {d.model}, {d.kind}
      </span>
      <span className="text-soft">{d.site}</span>
      {d.alarm && (
        <Link to={`/devices/${d.name}`}>
          <HealthMark
            state={d.alarm}
            word={`${d.alarms} ${d.alarms === 1 ? "alarm" : "alarms"}, the worst ${d.alarm}`}
          />
        </Link>
      )}
      <Link to={`/devices/${d.name}`}>Open the device</Link>
    </div>
  );
}

function Joined({ ties, from }: { ties: Tie[]; from: string }) {
  return (
    <ul className="grid gap-1.5 p-3 text-sm">
      {ties.map((t) => (
        <li key={t.id} className="flex items-center gap-2">
          <HealthMark state={t.health} word="" />
          <span className="min-w-0 grow truncate font-mono">{t.a === from ? t.b : t.a}</span>
          <span className="text-soft">{t.label}</span>
        </li>
      ))}
      {ties.length === 0 && <li className="text-soft">Nothing is joined to it.</li>}
    </ul>
  );
}

function LineFacts({ l }: { l: Line }) {
  const end = (e: Line["a"]) => (
    <Link to={`/devices/${e.device}`} className="font-mono text-sm">
      {e.device}:{e.name}
    </Link>
  );
  const cables = l.a.ports.map((p, i) => `${p} – ${l.b.ports[i] ?? "?"}`);
  return (
    <dl className="grid grid-cols-[72px_minmax(0,1fr)] gap-y-1 text-sm">
      <dt className="text-soft">From</dt>
      <dd>{end(l.a)}</dd>
      <dt className="text-soft">To</dt>
      <dd>{end(l.b)}</dd>
      <dt className="text-soft">State</dt>
      <dd>
        <HealthMark state={l.health} word={l.health === "well" ? "up" : l.health} />
      </dd>
      <dt className="text-soft">{l.kind === "tunnel" ? "Path" : "Speed"}</dt>
      <dd>{lineLabel(l) || "not told"}</dd>
      {l.members > 1 && (
        <>
          <dt className="text-soft">Cables</dt>
          <dd className="font-mono">
            {cables.map((c) => (
              <span key={c} className="block">
                {c}
              </span>
            ))}
          </dd>
        </>
      )}
      {l.blocked_at && (
        <>
          <dt className="text-soft">Blocked</dt>
          <dd>
            by spanning tree at <span className="font-mono">{l.blocked_at}</span>
          </dd>
        </>
      )}
      {l.vlan && (
        <>
          <dt className="text-soft">VLAN</dt>
          <dd className={l.vlan === "stopped" ? "text-down" : ""}>
            {l.vlan}
            {l.vlan_why && `: ${l.vlan_why}`}
          </dd>
        </>
      )}
    </dl>
  );
}
