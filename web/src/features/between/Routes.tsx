import { Link } from "react-router";
import type { UsedRoute } from "../../api/client";
import { useKept, useTyped, useView } from "../../app/view";
import { Empty, Failure, inputClass, Panel } from "../../ui/controls";
import { useSettled } from "../../ui/settled";
import { type Column, collator, Table } from "../../ui/table";
import { many } from "../../ui/time";
import { useRoutes } from "./queries";

/** The routes that devices use, of all their tables, in one list. */
export function Routes({ scope }: { scope: string }) {
  const [vrf, setVRF] = useView("vrf");
  const [to, setTo] = useTyped("to");
  const [sort, setSort] = useView("rosort", "device");
  const kept = useKept();
  const got = useRoutes(scope, vrf, useSettled(to.trim(), 400));
  const rows = got.data?.items ?? [];
  const tables = [...new Set([...rows.map((r) => r.vrf), ...(vrf ? [vrf] : [])])].sort(collator.compare);
  const columns: Column<UsedRoute>[] = [
    {
      key: "device",
      head: "Device",
      mono: true,
      sort: (r) => `${r.device} ${r.vrf} ${r.prefix}`,
      cell: (r) => (
        <Link to={kept(`/devices/${r.device}?tab=routing`)} className="text-accent hover:underline">
          {r.device}
        </Link>
      ),
    },
    { key: "vrf", head: "VRF", mono: true, sort: (r) => r.vrf, cell: (r) => r.vrf },
    { key: "prefix", head: "Prefix", mono: true, sort: (r) => r.prefix, cell: (r) => r.prefix },
    { key: "via", head: "Via", mono: true, sort: (r) => r.via ?? "", cell: (r) => r.via || "–" },
    { key: "interface", head: "Out of", mono: true, sort: (r) => r.interface ?? "", cell: (r) => r.interface },
    {
      key: "origin",
      head: "Origin",
      sort: (r) => r.origin,
      cell: (r) => (
        <span>
          {r.origin}
          {r.from && <span className="text-soft">, leaked from {r.from}</span>}
        </span>
      ),
    },
  ];
  return (
    <Panel
      title={many(got.data?.total ?? 0, "route")}
      aside={
        <span className="flex flex-wrap items-center gap-2 text-sm">
          <label className="flex items-center gap-1">
            VRF
            <select className={`${inputClass} w-36 py-0.5`} value={vrf} onChange={(e) => setVRF(e.target.value)}>
              <option value="">all</option>
              {tables.map((t) => (
                <option key={t}>{t}</option>
              ))}
            </select>
          </label>
          <label className="flex items-center gap-1">
            To
            <input
              className={`${inputClass} w-36 py-0.5 font-mono`}
              placeholder="10.9.0.7"
              value={to}
              onChange={(e) => setTo(e.target.value)}
            />
          </label>
        </span>
      }
    >
      {got.isError && <Failure error={got.error} retry={() => void got.refetch()} />}
      <Table
        label="Routes"
        columns={columns}
        rows={got.isError ? [] : rows}
        rowKey={(r) => `${r.device} ${r.vrf} ${r.prefix} ${r.via ?? ""}`}
        sort={sort}
        onSort={setSort}
        className="max-h-[calc(100vh-200px)]"
        empty={
          got.data && !got.isError ? (
            <Empty title="No device here tells of such routes">Edges, firewalls and some switches do.</Empty>
          ) : null
        }
      />
      {(got.data?.total ?? 0) > rows.length && (
        <p className="border-t border-rule px-3 py-1.5 text-sm">
          {rows.length} of them are shown: narrow the scope, or say which VRF or address.
        </p>
      )}
    </Panel>
  );
}
