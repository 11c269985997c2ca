import { Plus } from "lucide-react";
import { useMemo } from "react";
import { Link } from "react-router";
import type { Device, Person } from "../../api/client";
import { useDevices } from "../../api/queries";
import { useView } from "../../app/view";
import { Button, Empty, Failure, Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { KindIcon } from "../../ui/kinds";
import { type Column, Table } from "../../ui/table";
import { Ago } from "../../ui/time";
import { PortsUp } from "../watch/WatchPage";
import { AdoptDialog } from "./AdoptDialog";

const columns: Column<Device>[] = [
  {
    key: "name",
    head: "Device",
    width: "170px",
    sort: (d) => d.name,
    cell: (d) => (
      <span className="flex items-center gap-2">
        <span className="text-soft">
          <KindIcon kind={d.kind} />
        </span>
        <Link to={`/devices/${d.name}`} className="font-mono text-sm">
          {d.name}
        </Link>
      </span>
    ),
  },
  { key: "health", head: "State", width: "100px", sort: (d) => d.health, cell: (d) => <HealthMark state={d.health} /> },
  { key: "site", head: "Site", width: "120px", sort: (d) => d.site, cell: (d) => d.site },
  { key: "model", head: "Model", width: "130px", sort: (d) => d.maker + d.model, cell: (d) => `${d.maker} ${d.model}` },
  { key: "serial", head: "Serial", width: "110px", mono: true, sort: (d) => d.serial, cell: (d) => d.serial },
  { key: "firmware", head: "Firmware", width: "80px", mono: true, sort: (d) => d.firmware, cell: (d) => d.firmware },
  { key: "address", head: "Address", width: "150px", mono: true, sort: (d) => d.address, cell: (d) => d.address },
  { key: "ports", head: "Ports up", width: "120px", sort: (d) => d.ports.well, cell: (d) => <PortsUp d={d} /> },
  {
    key: "booted",
    head: "Up for",
    width: "80px",
    right: true,
    sort: (d) => d.booted_at,
    cell: (d) => <Ago at={d.booted_at} word="" />,
  },
  {
    key: "seen",
    head: "Seen",
    width: "90px",
    right: true,
    sort: (d) => d.seen_at,
    cell: (d) => <Ago at={d.seen_at} />,
  },
];

export function DevicesPage({ me }: { me: Person }) {
  const [q, setQ] = useView("q");
  const [sort, setSort] = useView("sort", "name");
  const [adopt, setAdopt] = useView("adopt");
  const devices = useDevices(q);
  const rows = devices.data?.items ?? [];
  const kinds = useMemo(() => {
    const n = new Map<string, number>();
    for (const d of rows) n.set(d.kind, (n.get(d.kind) ?? 0) + 1);
    return [...n]
      .map(([k, c]) => `${c} ${k.replace("-", " ")}${c === 1 ? "" : k.endsWith("ch") ? "es" : "s"}`)
      .join(", ");
  }, [rows]);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex items-center justify-between">
        <h1 className="text-lg font-semibold">Devices</h1>
        {me.rights.includes("operate") && (
          <Button kind="main" onClick={() => setAdopt("1")}>
            <Plus size={15} aria-hidden /> Adopt a device
          </Button>
        )}
      </div>
      <Panel
        title={q ? `${rows.length} of ${devices.data?.total ?? 0} devices` : `${rows.length} devices`}
        aside={kinds}
      >
        {devices.isError ? (
          <Failure error={devices.error} retry={() => void devices.refetch()} />
        ) : (
          <Table
            label="Devices"
            columns={columns}
            rows={rows}
            rowKey={(d) => d.name}
            sort={sort}
            onSort={setSort}
            className="max-h-[calc(100vh-180px)]"
            empty={
              devices.isPending ? (
                <p className="px-3 py-6 text-soft">Reading…</p>
              ) : q ? (
                <Empty title="No device fits the scope">
                  <Button onClick={() => setQ("")}>Clear the scope</Button>
                </Empty>
              ) : (
                <Empty title="There are no devices yet">Adopt the first one by its address.</Empty>
              )
            }
          />
        )}
      </Panel>
      <AdoptDialog open={adopt !== ""} onOpenChange={(o) => setAdopt(o ? "1" : "")} />
    </div>
  );
}
