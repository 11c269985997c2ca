import { Suspense, useMemo } from "react";
import { Link } from "react-router";
import { both, useList } from "../../api/lists";
import { useScope } from "../../app/view";
import { Failure, Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { KindIcon } from "../../ui/kinds";
import { late } from "../../ui/late";
import { many } from "../../ui/time";
import { beginOf, useTotal } from "../history/queries";
import type { Range } from "../history/range";
import { Top } from "./Top";

const Chart = late(() => import("../../ui/chart").then((m) => ({ default: m.Chart })));

/** The network in a few numbers: devices by kind and state, clients, the links that are used most. */
export function Summary({ range }: { range: Range }) {
  return (
    <div className="grid gap-3 md:grid-cols-2 xl:grid-cols-3">
      <Kinds />
      <Clients range={range} />
      <Top range={range} />
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
