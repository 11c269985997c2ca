import type { DeviceDetail } from "../../api/client";
import { useTyped, useView } from "../../app/view";
import { Empty, Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { type Column, collator, Table } from "../../ui/table";
import { Ago, many } from "../../ui/time";

type VRF = NonNullable<NonNullable<DeviceDetail["inside"]>["vrfs"]>[number];
type Route = NonNullable<VRF["routes"]>[number];
type Neighbour = NonNullable<NonNullable<VRF["bgp"]>["neighbours"]>[number];

const routeColumns: Column<Route>[] = [
  { key: "prefix", head: "Prefix", width: "170px", mono: true, sort: (r) => r.prefix, cell: (r) => r.prefix },
  { key: "via", head: "Via", width: "150px", mono: true, sort: (r) => r.via ?? "", cell: (r) => r.via || "–" },
  {
    key: "interface",
    head: "Out of",
    width: "170px",
    mono: true,
    sort: (r) => r.interface ?? "",
    cell: (r) => r.interface,
  },
  { key: "origin", head: "Origin", sort: (r) => r.origin, cell: (r) => r.origin },
];

const neighbourColumns: Column<Neighbour>[] = [
  { key: "address", head: "Neighbour", width: "140px", mono: true, sort: (n) => n.address, cell: (n) => n.address },
  {
    key: "description",
    head: "Who",
    width: "150px",
    mono: true,
    sort: (n) => n.description ?? "",
    cell: (n) => n.description,
  },
  { key: "as", head: "AS", width: "80px", right: true, sort: (n) => n.as, cell: (n) => n.as },
  {
    key: "state",
    head: "State",
    width: "140px",
    sort: (n) => n.state,
    cell: (n) => <HealthMark state={n.state === "established" ? "well" : "down"} word={n.state} />,
  },
  {
    key: "since",
    head: "For",
    width: "80px",
    sort: (n) => n.since,
    cell: (n) => (n.state === "established" ? <Ago at={n.since} word="" /> : "–"),
  },
  {
    key: "received",
    head: "Received",
    width: "90px",
    right: true,
    sort: (n) => n.received_prefixes,
    cell: (n) => n.received_prefixes,
  },
  { key: "sent", head: "Sent", width: "70px", right: true, sort: (n) => n.sent_prefixes, cell: (n) => n.sent_prefixes },
];

/** The routes in use by VRF, and who they are exchanged with. */
export function Routing({ vrfs }: { vrfs: VRF[] }) {
  const [name, setName] = useView("vrf", vrfs[0]?.name ?? "");
  const v = vrfs.find((x) => x.name === name) ?? vrfs[0];
  const [sort, setSort] = useView("rsort", "prefix");
  const [nsort, setNsort] = useView("nsort", "address");
  const [find, setFind] = useTyped("route");
  if (!v) return null;
  const words = find.toLowerCase();
  const routes = (v.routes ?? [])
    .filter((r) => `${r.prefix} ${r.via} ${r.interface} ${r.origin}`.toLowerCase().includes(words))
    .sort((a, b) => collator.compare(a.prefix, b.prefix));
  return (
    <div className="grid gap-3">
      {v.bgp && (
        <Panel
          title={`BGP with ${many(v.bgp.neighbours?.length ?? 0, "neighbour")}`}
          aside={`AS ${v.bgp.as}, router ${v.bgp.router_id}`}
        >
          <Table
            label="BGP neighbours"
            columns={neighbourColumns}
            rows={v.bgp.neighbours ?? []}
            rowKey={(n) => n.address}
            sort={nsort}
            onSort={setNsort}
            className="max-h-[320px]"
            empty={<Empty title="It exchanges routes with nobody" />}
          />
        </Panel>
      )}
      <Panel
        title={`${routes.length} of ${many(v.routes?.length ?? 0, "route")} of VRF ${v.name}`}
        aside={
          <span className="flex items-center gap-4">
            <label className="flex items-center gap-2">
              VRF
              <select
                value={v.name}
                onChange={(e) => setName(e.target.value)}
                className="h-6 rounded-sm border border-rule bg-raised px-1 text-ink"
              >
                {vrfs.map((x) => (
                  <option key={x.name}>{x.name}</option>
                ))}
              </select>
            </label>
            <label className="flex items-center gap-2">
              Find
              <input
                value={find}
                onChange={(e) => setFind(e.target.value)}
                className="h-6 w-44 rounded-sm border border-rule bg-raised px-2 font-mono text-ink"
              />
            </label>
          </span>
        }
      >
        <Table
          label="Routes"
          columns={routeColumns}
          rows={routes}
          rowKey={(r) => `${r.prefix} ${r.via}`}
          sort={sort}
          onSort={setSort}
          className="max-h-[420px]"
          empty={<Empty title="No route fits" />}
        />
      </Panel>
    </div>
  );
}
