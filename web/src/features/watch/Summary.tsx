import { Suspense, useMemo } from "react";
import { Link } from "react-router";
import { both, useList } from "../../api/lists";
import { useScope } from "../../app/view";
import { Failure, Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { KindIcon } from "../../ui/kinds";
import { late } from "../../ui/late";
import { many } from "../../ui/time";
import { beginOf, useLinkUse, useTotal } from "../history/queries";
import type { Range } from "../history/range";
import { rate } from "../ports/columns";

const Chart = late(() => import("../../ui/chart").then((m) => ({ default: m.Chart })));

/** The network in a few numbers: devices by kind and state, clients, the links that are used most. */
export function Summary({ range }: { range: Range }) {
  return (
    <div className="grid gap-3 md:grid-cols-2 xl:grid-cols-3">
      <Kinds />
      <Clients range={range} />
      <Busiest range={range} />
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

function Clients({ range }: { range: Range }) {
  const [scope] = useScope();
  const where = both(scope, "client.here = true");
  const all = useList("clients", { where, count: "client.wireless,client.ssid,client.vlan", limit: 0 });
  const total = useTotal(scope, "clients", range);
  const count = (field: string, value: string) => all.data?.counts?.[field]?.find((c) => c.value === value)?.count ?? 0;
  const row = (what: string, n: number, narrow: string) => (
    <li key={what} className="flex h-[30px] items-center gap-2.5 px-3">
      <Link to={`/clients?scope=${encodeURIComponent(both(where, narrow))}`} className="grow truncate">
        {what}
      </Link>
      <span className="font-medium">{n}</span>
    </li>
  );
  const h = total.data;
  const lines = useMemo(
    () =>
      (h?.series ?? []).map((s) => ({
        name: "clients",
        mean: s.mean as (number | null)[],
        max: s.max as (number | null)[],
      })),
    [h],
  );
  return (
    <Panel title="Clients" aside={all.data && `${many(all.data.total, "client")} now`}>
      <ul className="grid grid-cols-2 divide-x divide-rule/60 border-b border-rule/60">
        {row("Wired", count("client.wireless", "false"), "client.wireless = false")}
        {row("Wireless", count("client.wireless", "true"), "client.wireless = true")}
      </ul>
      {total.isError ? (
        <Failure error={total.error} retry={() => void total.refetch()} />
      ) : (
        <div className="min-h-[124px]">
          <Suspense>
            {h && (
              <Chart
                title="Over time"
                unit="clients"
                from={beginOf(h)}
                step={h.step_s}
                lines={lines}
                least={0}
                group="watch"
                height={92}
                onSpan={range.pick}
              />
            )}
          </Suspense>
        </div>
      )}
    </Panel>
  );
}

function Busiest({ range }: { range: Range }) {
  const [scope] = useScope();
  const use = useLinkUse(scope, 5, range);
  const rows = use.data?.items ?? [];
  return (
    <Panel title="Links that were used most" aside={use.data && `of ${many(use.data.total, "link")}`}>
      {use.isError && <Failure error={use.error} retry={() => void use.refetch()} />}
      <table className="w-full table-fixed text-left text-sm">
        <thead>
          <tr className="h-[26px] border-b border-rule/60 text-soft">
            <th className="pl-3 font-medium">Link</th>
            <th className="w-[84px] text-right font-medium">Mean</th>
            <th className="w-[52px] text-right font-medium">Use</th>
            <th className="w-[62px] pr-3 text-right font-medium">Peak</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((l) => (
            <tr
              key={`${l.a.device}:${l.a.name} ${l.b.device}`}
              className="h-[25px] border-b border-rule/40 last:border-0"
            >
              <td
                className="truncate pl-3"
                title={`${l.a.device}:${l.a.name} to ${l.b.device}:${l.b.name}, ${l.speed_mbps} Mbit/s`}
              >
                <Link
                  to={`/devices/${l.a.device}?sel=${encodeURIComponent((l.a.ports ?? []).join(","))}&tab=history&part=port`}
                  className="font-mono"
                >
                  {l.a.device}:{l.a.name}
                </Link>{" "}
                <span className="text-soft">{l.b.device}</span>
              </td>
              <td className="text-right">{rate(Math.max(l.mean_ab_bps, l.mean_ba_bps))}</td>
              <td className="text-right font-medium">{l.use_mean_percent.toFixed(1)} %</td>
              <td className="pr-3 text-right">{l.use_peak_percent.toFixed(1)} %</td>
            </tr>
          ))}
        </tbody>
      </table>
      {use.data && rows.length === 0 && <p className="px-3 py-2 text-soft">Nothing was read in this time.</p>}
    </Panel>
  );
}
