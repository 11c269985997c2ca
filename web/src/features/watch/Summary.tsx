import { Link } from "react-router";
import { both, quote, useList } from "../../api/lists";
import { useScope } from "../../app/view";
import { Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { KindIcon } from "../../ui/kinds";
import { many } from "../../ui/time";
import { rate } from "../ports/columns";

/** The network in a few numbers: devices by kind and state, clients now, the links that are used most. */
export function Summary() {
  return (
    <div className="grid gap-3 md:grid-cols-2 xl:grid-cols-3">
      <Kinds />
      <ClientsNow />
      <Busiest />
    </div>
  );
}

const kinds = ["switch", "access-point", "firewall", "edge", "radio-link"];
const plural: Record<string, string> = {
  switch: "Switches",
  "access-point": "Access points",
  firewall: "Firewalls",
  edge: "Edges",
  "radio-link": "Radio links",
};

function Kinds() {
  return (
    <Panel title="Devices">
      <ul className="divide-y divide-rule/60">
        {kinds.map((k) => (
          <Kind key={k} kind={k} />
        ))}
      </ul>
    </Panel>
  );
}

function Kind({ kind }: { kind: string }) {
  const [scope] = useScope();
  const where = both(scope, `kind = ${kind}`);
  const list = useList("devices", { where, count: "health", limit: 0 });
  const counts = list.data?.counts?.health ?? [];
  return (
    <li className="flex h-[30px] items-center gap-2.5 px-3">
      <span className="text-soft">
        <KindIcon kind={kind} size={16} />
      </span>
      <Link to={`/devices?scope=${encodeURIComponent(where)}`} className="grow">
        {plural[kind]}
      </Link>
      {counts.map((c) => (
        <HealthMark key={c.value} state={c.value} word={String(c.count)} />
      ))}
      <span className="w-8 text-right font-medium">{list.data?.total ?? ""}</span>
    </li>
  );
}

function ClientsNow() {
  const [scope] = useScope();
  const where = both(scope, "client.here = true");
  const all = useList("clients", { where, count: "client.wireless,client.ssid,client.vlan", limit: 0 });
  const count = (field: string, value: string) => all.data?.counts?.[field]?.find((c) => c.value === value)?.count ?? 0;
  const ssids = (all.data?.counts?.["client.ssid"] ?? []).filter((c) => c.value).slice(0, 3);
  const row = (what: string, n: number, narrow: string) => (
    <li key={what} className="flex h-[30px] items-center gap-2.5 px-3">
      <Link to={`/clients?scope=${encodeURIComponent(both(where, narrow))}`} className="grow truncate">
        {what}
      </Link>
      <span className="font-medium">{n}</span>
    </li>
  );
  return (
    <Panel title="Clients now" aside={all.data && many(all.data.total, "client")}>
      <ul className="divide-y divide-rule/60">
        {row("Wired", count("client.wireless", "false"), "client.wireless = false")}
        {row("Wireless", count("client.wireless", "true"), "client.wireless = true")}
        {ssids.map((s) => row(s.value, s.count, `client.ssid = ${quote(s.value)}`))}
      </ul>
    </Panel>
  );
}

function Busiest() {
  const [scope] = useScope();
  const ports = useList("ports", {
    where: both(scope, 'port.use > 0 and port.peer ~ "?*"'),
    sort: "-port.use",
    limit: 20,
  });
  const seen = new Set<string>(); // of the two ends of a link, the one that is used more is shown
  const rows = (ports.data?.items ?? [])
    .filter((p) => {
      const link = [p.ref, `${p.peer?.device}:${p.peer?.port}`].sort().join(" ");
      return !seen.has(link) && seen.add(link);
    })
    .slice(0, 5);
  return (
    <Panel title="Links that are used most" aside="of their speed">
      <ul className="divide-y divide-rule/60">
        {rows.map((p) => {
          const use = p.rates?.use_percent ?? 0;
          return (
            <li
              key={p.ref}
              className="grid h-[30px] grid-cols-[minmax(0,1.7fr)_minmax(0,1fr)_70px_48px] items-center gap-2 px-3"
            >
              <Link
                to={`/devices/${p.device}?sel=${encodeURIComponent(p.port)}`}
                className="truncate font-mono text-sm"
              >
                {p.ref}
              </Link>
              <span className="truncate text-sm text-soft" title={`to ${p.peer?.system}`}>
                {p.peer?.device ?? p.peer?.system}
              </span>
              <span className="text-right text-sm">{rate(Math.max(p.rates?.rx_bps ?? 0, p.rates?.tx_bps ?? 0))}</span>
              <span className="text-right text-sm font-medium">{use.toFixed(1)} %</span>
            </li>
          );
        })}
        {rows.length === 0 && <li className="px-3 py-2 text-soft">Nothing was measured yet.</li>}
      </ul>
    </Panel>
  );
}
