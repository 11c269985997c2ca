import type { ReactNode } from "react";
import { Link } from "react-router";
import type { DeviceDetail, Person } from "../../api/client";
import { useTyped, useView } from "../../app/view";
import { Empty, Panel } from "../../ui/controls";
import { HealthMark, Shape } from "../../ui/health";
import { Signal } from "../../ui/signal";
import { type Column, collator, Table } from "../../ui/table";
import { Ago, many } from "../../ui/time";
import { Leases } from "./Leases";
import { hasRedundancy, Redundancy } from "./Redundancy";
import { Routing } from "./Routing";
import { Services } from "./Services";
import { Zones } from "./Zones";

type In = NonNullable<DeviceDetail["inside"]>;
type Tree = NonNullable<NonNullable<In["spanning"]>["instances"]>[string];

/** The tabs that a device has for what is inside it: only those that it tells something for. */
export function insideTabs(d: DeviceDetail, me: Person): [string, string, (d: DeviceDetail) => ReactNode][] {
  const i = d.inside;
  const out: [string, string, (d: DeviceDetail) => ReactNode][] = [];
  if (!i) return out;
  if (i.hardware.has_sensors) out.push(["hardware", "Hardware", () => <Hardware i={i} />]);
  if (i.radios?.length) out.push(["wireless", "Wireless", () => <Wireless i={i} name={d.name} />]);
  if (i.tunnels?.length) out.push(["tunnels", "Tunnels", () => <Tunnels i={i} />]);
  if (i.radio_link) out.push(["radio-link", "Radio link", () => <RadioLink i={i} />]);
  if (i.vrfs?.length) out.push(["routing", "Routing", () => <Routing vrfs={i.vrfs ?? []} />]);
  if (i.services?.length || i.licences?.length)
    out.push(["services", "Services", () => <Services i={i} d={d} me={me} />]);
  if (i.macs?.length) out.push(["macs", "MAC table", () => <MACs i={i} />]);
  if (d.resolved?.length || i.pools?.length)
    out.push([
      "addresses",
      "Addresses",
      () => (
        <div className="grid gap-3">
          {i.pools?.length ? <Leases i={i} /> : null}
          {d.resolved?.length ? <Resolved d={d} /> : null}
        </div>
      ),
    ]);
  if (i.spanning || i.bundles?.length || i.cluster) out.push(["layer2", "Layer 2", () => <LayerTwo i={i} d={d} />]);
  if (hasRedundancy(i)) out.push(["redundancy", "Redundancy", () => <Redundancy i={i} />]);
  if (d.features.includes("zones")) out.push(["zones", "Zones", () => <Zones d={d} me={me} />]);
  return out;
}

function Reading({
  name,
  value,
  unit,
  part,
  warn,
}: {
  name: string;
  value: string;
  unit: string;
  part?: number;
  warn?: boolean;
}) {
  return (
    <div className="px-3 py-2">
      <div className="text-sm text-soft">{name}</div>
      <div className="flex items-baseline gap-1">
        <span className="text-xl font-semibold">{value}</span>
        <span className="text-soft">{unit}</span>
        {warn && (
          <span className="ml-1 self-center">
            <Shape state="degraded" size={11} />
          </span>
        )}
      </div>
      {part !== undefined && (
        <div className="mt-1 h-1.5 bg-rule" aria-hidden>
          <div
            className={warn ? "h-full bg-degraded" : "h-full bg-soft"}
            style={{ width: `${Math.min(100, part * 100)}%` }}
          />
        </div>
      )}
    </div>
  );
}

/** How a clock stands; it is told in whole seconds, and takes a moment to be read. */
const clockWord = (ahead: number) =>
  Math.abs(ahead) <= 2 ? "right" : `${Math.abs(ahead).toLocaleString("en-GB")} s ${ahead > 0 ? "ahead" : "behind"}`;

function Hardware({ i }: { i: In }) {
  const h = i.hardware;
  return (
    <div className="grid gap-3 lg:grid-cols-[minmax(0,2fr)_minmax(0,3fr)]">
      <Panel title="Readings" aside={<Ago at={i.observed_at} />}>
        <div className="grid grid-cols-4 divide-x divide-rule">
          <Reading
            name="Processor"
            value={h.cpu_percent.toFixed(0)}
            unit="%"
            part={h.cpu_percent / 100}
            warn={h.cpu_percent > 95}
          />
          <Reading
            name="Memory"
            value={h.memory_total_bytes ? ((100 * h.memory_used_bytes) / h.memory_total_bytes).toFixed(0) : "–"}
            unit={h.memory_total_bytes ? `% of ${(h.memory_total_bytes / 2 ** 30).toFixed(0)} GiB` : ""}
            part={h.memory_total_bytes ? h.memory_used_bytes / h.memory_total_bytes : undefined}
          />
          <Reading
            name="Flash"
            value={h.flash_total_bytes ? ((100 * (h.flash_used_bytes ?? 0)) / h.flash_total_bytes).toFixed(0) : "–"}
            unit={h.flash_total_bytes ? `% of ${(h.flash_total_bytes / 2 ** 30).toFixed(0)} GiB` : ""}
            part={h.flash_total_bytes ? (h.flash_used_bytes ?? 0) / h.flash_total_bytes : undefined}
            warn={!!h.flash_total_bytes && (h.flash_used_bytes ?? 0) / h.flash_total_bytes > 0.95}
          />
          <Reading
            name="Temperature"
            value={h.temperature_celsius.toFixed(0)}
            unit="°C"
            part={h.temperature_celsius / 100}
            warn={h.temperature_celsius > 75}
          />
        </div>
        <ul className="divide-y divide-rule/60 border-t border-rule">
          {h.supplies?.map((s) => (
            <Line
              key={s.name}
              ok={s.ok}
              name={s.name}
              what="power supply"
              value={s.ok ? `${s.watts.toFixed(0)} W` : "gives no power"}
            />
          ))}
          {h.fans?.map((f) => (
            <Line
              key={f.name}
              ok={f.ok}
              name={f.name}
              what="fan"
              value={f.ok ? `${f.rpm.toLocaleString("en-GB")} rpm` : "does not turn"}
            />
          ))}
          {i.clock && (
            <Line
              ok={Math.abs(i.clock.ahead_seconds) <= 2}
              name="clock"
              what={i.clock.server ? `set by ${i.clock.server}, stratum ${i.clock.stratum}` : "set by no server"}
              value={clockWord(i.clock.ahead_seconds)}
            />
          )}
        </ul>
      </Panel>
      <Panel title={many(h.transceivers?.length ?? 0, "module")} aside="limits are those that the module gives">
        {h.transceivers?.length ? (
          <div className="overflow-x-auto">
            <table className="w-full text-left">
              <thead>
                <tr className="border-b border-rule text-sm text-soft">
                  {["Cage", "Module", "Serial", "Sends, dBm", "Receives", "Limit", "°C"].map((x, n) => (
                    <th key={x} className={`h-[30px] px-3 font-medium ${n > 2 ? "text-right" : ""}`}>
                      {x}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {[...h.transceivers]
                  .sort((a, b) => collator.compare(a.port, b.port))
                  .map((m) => {
                    const low = m.limits.rx_low_dbm !== 0 && m.rx_dbm < m.limits.rx_low_dbm;
                    return (
                      <tr key={m.port} className="h-[30px] border-b border-rule/60">
                        <td className="px-3 font-mono text-sm">{m.port}</td>
                        <td className="px-3">
                          {m.model} <span className="text-soft">{m.form}</span>
                        </td>
                        <td className="px-3 font-mono text-sm">{m.serial}</td>
                        <td className="px-3 text-right">{m.tx_dbm.toFixed(1)}</td>
                        <td className="px-3 text-right">
                          <span className="inline-flex items-center gap-1.5">
                            {low && <Shape state="degraded" size={10} />} {m.rx_dbm.toFixed(1)}
                          </span>
                        </td>
                        <td className="px-3 text-right text-soft">{m.limits.rx_low_dbm.toFixed(1)}</td>
                        <td className="px-3 text-right">{m.temperature_celsius.toFixed(0)}</td>
                      </tr>
                    );
                  })}
              </tbody>
            </table>
          </div>
        ) : (
          <Empty title="No module is plugged in" />
        )}
      </Panel>
    </div>
  );
}

function Line({ ok, name, what, value }: { ok: boolean; name: string; what: string; value: string }) {
  return (
    <li className="grid h-[30px] grid-cols-[16px_70px_minmax(0,1fr)_auto] items-center gap-2 px-3">
      <Shape state={ok ? "well" : "down"} size={10} />
      <span className="font-mono text-sm">{name}</span>
      <span className="text-soft">{what}</span>
      <span>{value}</span>
    </li>
  );
}

type Station = NonNullable<In["stations"]>[number];

const stationColumns: Column<Station>[] = [
  {
    key: "name",
    head: "Station",
    width: "170px",
    sort: (s) => s.name ?? "",
    cell: (s) => s.name || <span className="text-soft">no name</span>,
  },
  { key: "mac", head: "MAC address", width: "160px", mono: true, sort: (s) => s.mac, cell: (s) => s.mac },
  { key: "address", head: "Address", width: "120px", mono: true, sort: (s) => s.address ?? "", cell: (s) => s.address },
  { key: "ssid", head: "Network", width: "150px", sort: (s) => s.ssid, cell: (s) => s.ssid },
  { key: "vlan", head: "VLAN", width: "60px", right: true, sort: (s) => s.vlan ?? 0, cell: (s) => s.vlan },
  { key: "band", head: "Band", width: "80px", sort: (s) => s.band, cell: (s) => s.band },
  {
    key: "signal",
    head: "Signal",
    width: "120px",
    right: true,
    sort: (s) => s.signal_dbm,
    cell: (s) => <Signal dbm={s.signal_dbm} />,
  },
  { key: "system", head: "System", sort: (s) => s.system ?? "", cell: (s) => s.system },
];

function Wireless({ i, name }: { i: In; name: string }) {
  const [sort, setSort] = useView("ssort", "name");
  return (
    <div className="grid gap-3">
      <div className="grid gap-3 md:grid-cols-2">
        {i.radios?.map((r) => (
          <Panel key={r.id} title={`Radio ${r.id}, ${r.band}`} aside={`channel ${r.channel}, ${r.width_mhz} MHz wide`}>
            <div className="grid grid-cols-4 divide-x divide-rule">
              <Reading name="Power" value={String(r.power_dbm)} unit="dBm" />
              <Reading
                name="Channel busy"
                value={String(r.busy_percent)}
                unit="%"
                part={r.busy_percent / 100}
                warn={r.busy_percent > 70}
              />
              <Reading name="Noise" value={String(r.noise_dbm)} unit="dBm" />
              <Reading
                name="Stations"
                value={String(i.stations?.filter((s) => s.band === r.band).length ?? 0)}
                unit=""
              />
            </div>
          </Panel>
        ))}
      </div>
      <Panel title={many(i.stations?.length ?? 0, "station")} aside={<Ago at={i.observed_at} />}>
        <Table
          label={`Stations of ${name}`}
          columns={stationColumns}
          rows={i.stations ?? []}
          rowKey={(s) => s.mac}
          sort={sort}
          onSort={setSort}
          className="max-h-[520px]"
          empty={<Empty title="Nobody has joined" />}
        />
      </Panel>
    </div>
  );
}

function Tunnels({ i }: { i: In }) {
  return (
    <Panel title={many(i.tunnels?.length ?? 0, "tunnel")} aside={<Ago at={i.observed_at} />}>
      <div className="overflow-x-auto">
        <table className="w-full text-left">
          <thead>
            <tr className="border-b border-rule text-sm text-soft">
              {["Tunnel", "State", "Underlay", "Port", "To", "Delay", "Jitter", "Loss", "Since"].map((x, n) => (
                <th key={x} className={`h-[30px] px-3 font-medium ${n > 4 ? "text-right" : ""}`}>
                  {x}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {i.tunnels?.map((t) => (
              <tr key={t.name} className="h-[30px] border-b border-rule/60">
                <td className="px-3 font-mono text-sm">{t.name}</td>
                <td className="px-3">
                  <HealthMark state={t.up ? "well" : "down"} word={t.up ? "up" : "down"} />
                </td>
                <td className="px-3">{t.underlay}</td>
                <td className="px-3 font-mono text-sm">{t.port}</td>
                <td className="px-3 font-mono text-sm">
                  <Link to={`/devices/${t.remote_system}`}>{t.remote_system}</Link>
                </td>
                <td className="px-3 text-right">{t.up ? `${t.delay_ms.toFixed(1)} ms` : "–"}</td>
                <td className="px-3 text-right">{t.up ? `${t.jitter_ms.toFixed(1)} ms` : "–"}</td>
                <td className="px-3 text-right">{t.up ? `${t.loss_percent.toFixed(2)} %` : "–"}</td>
                <td className="px-3 text-right">
                  <Ago at={t.changed} word="" />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Panel>
  );
}

function RadioLink({ i }: { i: In }) {
  const r = i.radio_link;
  if (!r) return null;
  return (
    <Panel title="How this end hears the other" aside={<Ago at={i.observed_at} />}>
      <div className="grid grid-cols-2 divide-x divide-rule md:grid-cols-6">
        {r.received_dbm === 0 ? (
          <Reading name="Received level" value="nothing is heard" unit="" warn />
        ) : (
          <Reading
            name="Received level"
            value={r.received_dbm.toFixed(1)}
            unit="dBm"
            part={(r.received_dbm + 90) / 60}
            warn={r.received_dbm < -57}
          />
        )}
        {r.expected_dbm !== undefined && (
          <Reading
            name="In clear air (P.525)"
            value={r.expected_dbm.toFixed(1)}
            unit="dBm"
            part={(r.expected_dbm + 90) / 60}
          />
        )}
        <Reading name="Modulation" value={r.modulation || "none"} unit="" />
        <Reading name="Capacity" value={String(r.capacity_mbps)} unit="Mbit/s" part={r.capacity_mbps / 800} />
        <Reading name="Frequency" value={r.frequency_ghz.toFixed(3)} unit="GHz" />
        <Reading name="Distance" value={r.distance_km.toFixed(1)} unit="km" />
      </div>
    </Panel>
  );
}

type MAC = NonNullable<In["macs"]>[number];

const macColumns: Column<MAC>[] = [
  { key: "mac", head: "MAC address", width: "170px", mono: true, sort: (m) => m.mac, cell: (m) => m.mac },
  { key: "vlan", head: "VLAN", width: "80px", right: true, sort: (m) => m.vlan, cell: (m) => m.vlan },
  { key: "port", head: "Learned on", mono: true, sort: (m) => m.port, cell: (m) => m.port },
];

function Find({ value, onChange }: { value: string; onChange: (v: string) => void }) {
  return (
    <label className="flex items-center gap-2">
      Find
      <input
        value={value}
        onChange={(e) => onChange(e.target.value)}
        className="h-6 w-44 rounded-sm border border-rule bg-raised px-2 font-mono text-ink"
      />
    </label>
  );
}

function MACs({ i }: { i: In }) {
  const [sort, setSort] = useView("msort", "port");
  const [find, setFind] = useTyped("mac");
  const rows = (i.macs ?? []).filter((m) => !find || `${m.mac} ${m.port} ${m.vlan}`.includes(find.toLowerCase()));
  return (
    <Panel
      title={`${rows.length} of ${i.macs?.length ?? 0} MAC addresses`}
      aside={<Find value={find} onChange={setFind} />}
    >
      <Table
        label="MAC table"
        columns={macColumns}
        rows={rows}
        rowKey={(m) => `${m.mac} ${m.vlan}`}
        sort={sort}
        onSort={setSort}
        className="max-h-[520px]"
        empty={<Empty title="No address fits" />}
      />
    </Panel>
  );
}

type Address = NonNullable<DeviceDetail["resolved"]>[number];

const addressColumns: Column<Address>[] = [
  { key: "address", head: "Address", width: "150px", mono: true, sort: (r) => r.address, cell: (r) => r.address },
  {
    key: "mac",
    head: "MAC address",
    width: "170px",
    mono: true,
    sort: (r) => r.mac,
    cell: (r) => <Link to={`/clients?scope=${encodeURIComponent(`client.mac = ${r.mac}`)}`}>{r.mac}</Link>,
  },
  { key: "interface", head: "Interface", mono: true, sort: (r) => r.interface, cell: (r) => r.interface },
];

function Resolved({ d }: { d: DeviceDetail }) {
  const [sort, setSort] = useView("asort", "address");
  const [find, setFind] = useTyped("arp");
  const all = d.resolved ?? [];
  const rows = all.filter((r) => !find || `${r.address} ${r.mac} ${r.interface}`.includes(find.toLowerCase()));
  return (
    <Panel
      title={`${rows.length} of ${all.length} resolved addresses (ARP)`}
      aside={<Find value={find} onChange={setFind} />}
    >
      <Table
        label="Resolved addresses"
        columns={addressColumns}
        rows={rows}
        rowKey={(r) => `${r.address} ${r.interface}`}
        sort={sort}
        onSort={setSort}
        className="max-h-[520px]"
        empty={<Empty title="No address fits" />}
      />
    </Panel>
  );
}

/** TreePanel shows one spanning tree as a bridge sees it. */
function TreePanel({ title, tree }: { title: string; tree: Tree }) {
  const blocked = Object.entries(tree.ports ?? {})
    .filter(([, p]) => p.state === "blocking")
    .map(([p]) => p);
  return (
    <Panel title={title} aside={tree.root_address === tree.address ? "this is the root bridge" : ""}>
      <dl className="grid grid-cols-[130px_minmax(0,1fr)] gap-y-1 px-3 py-2">
        <dt className="text-soft">This bridge</dt>
        <dd className="font-mono text-sm">
          {tree.priority} {tree.address}
        </dd>
        <dt className="text-soft">Root</dt>
        <dd className="font-mono text-sm">
          {tree.root_priority} {tree.root_address}
        </dd>
        <dt className="text-soft">Cost to the root</dt>
        <dd>{tree.root_cost.toLocaleString("en-GB")}</dd>
        <dt className="text-soft">Blocked ports</dt>
        <dd className="font-mono text-sm">{blocked.length ? blocked.join(", ") : "none"}</dd>
      </dl>
    </Panel>
  );
}

function LayerTwo({ i, d }: { i: In; d: DeviceDetail }) {
  const s = i.spanning;
  return (
    <div className="grid gap-3 lg:grid-cols-2">
      {i.cluster && (
        <Panel
          title={
            { stack: "Stack", mlag: "Pair of switches (MLAG)", "high-availability": "High-availability pair" }[
              i.cluster.kind
            ] ?? i.cluster.kind
          }
          aside={i.cluster.name}
        >
          <ul className="divide-y divide-rule/60">
            {i.cluster.members.map((m) => (
              <li key={m.name} className="grid h-[30px] grid-cols-[120px_100px_80px_minmax(0,1fr)] items-center px-3">
                <span className="font-mono text-sm">
                  {m.name !== d.name && i.cluster?.kind !== "stack" ? (
                    <Link to={`/devices/${m.name}`}>{m.name}</Link>
                  ) : i.cluster?.kind === "stack" ? (
                    `unit ${m.name}`
                  ) : (
                    m.name
                  )}
                </span>
                <span>{m.role}</span>
                <span>{m.model}</span>
                <span className="font-mono text-sm">{m.serial}</span>
              </li>
            ))}
          </ul>
          {i.cluster.peer_bundle && (
            <p className="border-t border-rule px-3 py-1.5 text-soft">They are joined by {i.cluster.peer_bundle}.</p>
          )}
        </Panel>
      )}
      {i.bundles?.map((b) => (
        <Panel key={b.name} title={`Bundle ${b.name}`} aside="LACP">
          <ul className="divide-y divide-rule/60">
            {b.members.map((m) => (
              <li key={m.port} className="grid h-[30px] grid-cols-[90px_130px_minmax(0,1fr)] items-center px-3">
                <span className="font-mono text-sm">{m.port}</span>
                <HealthMark state={m.in_sync ? "well" : "down"} word={m.in_sync ? "in the bundle" : "left out"} />
                <span className="font-mono text-sm text-soft">{m.partner}</span>
              </li>
            ))}
          </ul>
        </Panel>
      ))}
      {s && <TreePanel title={s.instances ? "Common spanning tree" : "Spanning tree"} tree={s} />}
      {Object.entries(s?.instances ?? {}).map(([number, tree]) => (
        <TreePanel key={number} title={`Instance ${number}`} tree={tree} />
      ))}
    </div>
  );
}
