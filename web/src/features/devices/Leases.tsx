import type { DeviceDetail } from "../../api/client";
import { useTyped, useView } from "../../app/view";
import { Empty, inputClass, Panel } from "../../ui/controls";
import { Shape } from "../../ui/health";
import { type Column, Table } from "../../ui/table";
import { dayTime } from "../../ui/time";

type In = NonNullable<DeviceDetail["inside"]>;
type Lease = NonNullable<In["leases"]>[number];

const number = (address: string) => address.split(".").reduce((n, part) => n * 256 + Number(part), 0);

const columns: Column<Lease>[] = [
  {
    key: "address",
    head: "Address",
    width: "140px",
    sort: (l) => number(l.address),
    cell: (l) => <span className="font-mono">{l.address}</span>,
  },
  { key: "vlan", head: "VLAN", width: "70px", sort: (l) => l.vlan, cell: (l) => l.vlan || "" },
  { key: "network", head: "Network", width: "110px", sort: (l) => l.network ?? "", cell: (l) => l.network },
  {
    key: "mac",
    head: "Station",
    width: "160px",
    sort: (l) => l.mac,
    cell: (l) => <span className="font-mono">{l.mac}</span>,
  },
  { key: "name", head: "Calls itself", width: "minmax(120px,1fr)", sort: (l) => l.name ?? "", cell: (l) => l.name },
  {
    key: "ends",
    head: "Until",
    width: "150px",
    sort: (l) => l.ends,
    cell: (l) => (l.reserved ? "reserved" : dayTime(l.ends)),
  },
];

/** The addresses that a device gave out (DHCP), and how many are left. */
export function Leases({ i }: { i: In }) {
  const [sort, setSort] = useView("lsort", "address");
  const [find, setFind] = useTyped("lease");
  const all = i.leases ?? [];
  const words = find.trim().toLowerCase();
  const rows = all.filter(
    (l) => !words || `${l.address} ${l.mac} ${l.name ?? ""} ${l.vlan} ${l.network ?? ""}`.toLowerCase().includes(words),
  );
  return (
    <Panel
      title={`Addresses given out: ${rows.length === all.length ? all.length : `${rows.length} of ${all.length}`}`}
      aside={
        <label className="flex items-center gap-2">
          Find
          <input
            className={`${inputClass} !h-6 w-44 font-mono`}
            value={find}
            onChange={(e) => setFind(e.target.value)}
          />
        </label>
      }
    >
      <ul className="flex flex-wrap gap-x-5 gap-y-1 border-b border-rule px-3 py-1.5 text-sm">
        {(i.pools ?? []).map((p) => (
          <li key={`${p.vlan} ${p.network ?? ""}`} className="flex items-center gap-1.5">
            <Shape state={p.free < 0.05 * p.size ? "degraded" : "well"} size={10} />
            {p.network ? `${p.network}, seen beyond as ${p.outside}` : `VLAN ${p.vlan}`}: {p.free} of {p.size} free
          </li>
        ))}
      </ul>
      <Table
        label="Addresses given out"
        columns={columns}
        rows={rows}
        rowKey={(l) => `${l.network ?? ""} ${l.address}`}
        sort={sort}
        onSort={setSort}
        className="max-h-[460px]"
        empty={<Empty title={all.length ? "No station fits" : "Nobody has an address from it"} />}
      />
    </Panel>
  );
}
