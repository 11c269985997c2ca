import { Link } from "react-router";
import { allowed, type NetworkVLAN, type Person, type VLANPlace } from "../../api/client";
import { useKept, useView } from "../../app/view";
import { Empty, Failure, Panel } from "../../ui/controls";
import { Shape } from "../../ui/health";
import { type Column, Table } from "../../ui/table";
import { many } from "../../ui/time";
import { CarryDialog } from "./CarryDialog";
import { DescribeDialog } from "./DescribeDialog";
import { MakeDialog } from "./MakeDialog";
import { useVLAN, useVLANs } from "./queries";

const columns: Column<NetworkVLAN>[] = [
  { key: "id", head: "VLAN", mono: true, right: true, width: "70px", sort: (v) => v.id, cell: (v) => v.id },
  {
    key: "name",
    head: "Name",
    width: "190px",
    sort: (v) => v.names[0] ?? "",
    cell: (v) => (
      <span title={v.names.join(", ")}>
        {v.names[0] ?? <span className="text-soft">no name</span>}
        {v.names.length > 1 && <span className="text-soft"> and {v.names.length - 1} more</span>}
      </span>
    ),
  },
  { key: "purpose", head: "Purpose", sort: (v) => v.purpose ?? "", cell: (v) => v.purpose },
  { key: "subnets", head: "Subnets", mono: true, sort: (v) => v.subnets ?? "", cell: (v) => v.subnets },
  { key: "devices", head: "Devices", right: true, sort: (v) => v.devices, cell: (v) => v.devices },
  { key: "access", head: "Access ports", right: true, sort: (v) => v.access_ports, cell: (v) => v.access_ports },
  { key: "trunks", head: "Trunks", right: true, sort: (v) => v.trunk_ports, cell: (v) => v.trunk_ports },
  { key: "clients", head: "Clients", right: true, sort: (v) => v.clients, cell: (v) => v.clients },
  {
    key: "carried",
    head: "Carried",
    width: "150px",
    sort: (v) => (v.wanted ? v.missing.length : -1),
    cell: (v) =>
      !v.wanted ? (
        <span className="text-soft">not asked</span>
      ) : (
        <span className="flex items-center gap-1.5">
          <Shape state={v.missing.length > 0 ? "degraded" : "well"} size={11} />
          {v.missing.length > 0 ? `not to ${many(v.missing.length, "device")}` : "where it must be"}
        </span>
      ),
  },
];

/** The VLANs of the network: what each is for, where it is, and whether it gets to where it must be. */
export function VLANsPage({ me }: { me: Person }) {
  const [scope] = useView("scope");
  const vlans = useVLANs(scope);
  const [sort, setSort] = useView("sort", "id");
  const [chosen, setChosen] = useView("vlan");
  const rows = vlans.data?.items ?? [];
  const may = allowed(me, "change", "devices");
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex items-center justify-between">
        <h1 className="text-lg font-semibold">VLANs</h1>
        {may && <MakeDialog me={me} rows={rows} />}
      </div>
      <Panel title={many(rows.length, "VLAN")}>
        {vlans.isError ? (
          <Failure error={vlans.error} retry={() => void vlans.refetch()} />
        ) : (
          <Table
            label="VLANs"
            columns={columns}
            rows={rows}
            rowKey={(v) => String(v.id)}
            sort={sort}
            onSort={setSort}
            selected={new Set([chosen])}
            onRow={(v) => setChosen(String(v.id) === chosen ? "" : String(v.id))}
            className="max-h-[360px]"
            empty={
              vlans.isPending ? null : (
                <Empty title="There are no VLANs">They come with the devices that know them: enrol one.</Empty>
              )
            }
          />
        )}
      </Panel>
      {chosen ? (
        <OneVLAN id={Number(chosen)} me={me} may={may} />
      ) : (
        <p className="text-sm text-soft">
          Pick a VLAN to see where it is, to describe it, or to have it carried further.
        </p>
      )}
    </div>
  );
}

function placeColumns(kept: (path: string) => string): Column<VLANPlace>[] {
  return [
    {
      key: "device",
      head: "Device",
      mono: true,
      sort: (p) => p.device,
      cell: (p) => <Link to={kept(`/devices/${p.device}`)}>{p.device}</Link>,
    },
    { key: "site", head: "Site", sort: (p) => p.site, cell: (p) => p.site },
    { key: "name", head: "Its name there", sort: (p) => p.name, cell: (p) => p.name },
    {
      key: "access",
      head: "Access ports",
      right: true,
      sort: (p) => p.access_ports,
      cell: (p) => p.access_ports || "",
    },
    { key: "trunks", head: "Trunks", right: true, sort: (p) => p.trunk_ports, cell: (p) => p.trunk_ports || "" },
    { key: "clients", head: "Clients", right: true, sort: (p) => p.clients, cell: (p) => p.clients || "" },
  ];
}

function OneVLAN({ id, me, may }: { id: number; me: Person; may: boolean }) {
  const vlan = useVLAN(id);
  const kept = useKept();
  const [sort, setSort] = useView("places", "-access");
  if (vlan.isError) return <Failure error={vlan.error} retry={() => void vlan.refetch()} />;
  const v = vlan.data;
  if (!v) return <p className="text-soft">Reading VLAN {id}…</p>;
  const rows: [string, string | undefined][] = [
    ["Purpose", v.purpose],
    ["Subnets", v.subnets],
    ["Gateways", v.gateways],
    ["Must be on", v.wanted],
  ];
  return (
    <div className="grid items-start gap-3 lg:grid-cols-[minmax(0,2fr)_minmax(0,3fr)]">
      <Panel title={`VLAN ${v.id} ${v.names[0] ?? ""}`} aside={may && <DescribeDialog v={v} />}>
        <dl className="grid grid-cols-[90px_minmax(0,1fr)] gap-y-1 px-3 py-2">
          {rows.map(([what, value]) => (
            <div key={what} className="contents">
              <dt className="text-soft">{what}</dt>
              <dd className={value && what !== "Purpose" ? "break-words font-mono text-sm" : value ? "" : "text-soft"}>
                {value || "not said"}
              </dd>
            </div>
          ))}
        </dl>
        {v.missing.length > 0 && (
          <ul
            className="mx-3 mb-2 max-h-40 overflow-auto rounded border border-degraded px-2 py-1 text-sm"
            aria-label="Where it is missing"
          >
            {v.missing.map((m) => (
              <li key={m.device} className="grid grid-cols-[110px_minmax(0,1fr)] gap-2">
                <Link to={kept(`/devices/${m.device}`)} className="font-mono">
                  {m.device}
                </Link>
                <span>{m.why}</span>
              </li>
            ))}
          </ul>
        )}
        <div className="flex flex-wrap gap-2 px-3 pb-3">
          {may && <CarryDialog v={v} me={me} />}
          <Link to={kept(`/map?vlan=${v.id}`)} className="inline-flex h-7 items-center px-1">
            See it on the map
          </Link>
          <Link
            to={`/ports?scope=${encodeURIComponent(`port.vlan = ${v.id}`)}`}
            className="inline-flex h-7 items-center px-1"
          >
            Its ports
          </Link>
        </div>
      </Panel>
      <Panel title={`On ${many(v.places?.length ?? 0, "device")}`}>
        <Table
          label={`Devices that know VLAN ${v.id}`}
          columns={placeColumns(kept)}
          rows={v.places ?? []}
          rowKey={(p) => p.device}
          sort={sort}
          onSort={setSort}
          className="max-h-[360px]"
          empty={<Empty title="No device knows it">Make it on a device, or have it carried somewhere.</Empty>}
        />
      </Panel>
    </div>
  );
}
