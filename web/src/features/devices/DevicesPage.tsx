import { PackageOpen, Plus, Radar } from "lucide-react";
import { Link } from "react-router";
import { allowed, type Device, type Person } from "../../api/client";
import { Grid, type GridColumn } from "../../app/Grid";
import { useScope, useView } from "../../app/view";
import { Button, Empty } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { KindIcon } from "../../ui/kinds";
import { Ago, many } from "../../ui/time";
import { PortsUp } from "../watch/WatchPage";
import { EnrolDialog } from "./EnrolDialog";

const watts = (mw?: number) => (mw === undefined ? "" : `${(mw / 1000).toFixed(1)} W`);

const columns: GridColumn<Device>[] = [
  {
    key: "name",
    head: "Device",
    field: "name",
    width: 154,
    text: (d) => d.name,
    cell: (d) => (
      <span className="flex items-center gap-2">
        <span className="text-soft">
          <KindIcon kind={d.kind} />
        </span>
        <Link to={`/devices/${d.name}`} className="truncate font-mono text-sm">
          {d.name}
        </Link>
      </span>
    ),
  },
  {
    key: "health",
    head: "State",
    field: "health",
    groups: true,
    width: 92,
    text: (d) => d.health,
    cell: (d) => <HealthMark state={d.health} />,
  },
  { key: "reach", head: "Reach", field: "reach", groups: true, width: 100, extra: true, text: (d) => d.reach },
  { key: "site", head: "Site", field: "site", groups: true, width: 112, text: (d) => d.site },
  { key: "kind", head: "Kind", field: "kind", groups: true, width: 110, extra: true, text: (d) => d.kind },
  { key: "model", head: "Model", field: "model", groups: true, width: 122, text: (d) => `${d.maker} ${d.model}` },
  { key: "serial", head: "Serial", field: "serial", width: 106, mono: true, text: (d) => d.serial },
  {
    key: "firmware",
    head: "Firmware",
    field: "firmware",
    groups: true,
    width: 80,
    mono: true,
    text: (d) => d.firmware,
  },
  { key: "address", head: "Address", field: "address", width: 146, mono: true, text: (d) => d.address },
  {
    key: "tags",
    head: "Tags",
    field: "tag",
    groups: true,
    width: 120,
    extra: true,
    text: (d) => (d.tags ?? []).join(" "),
  },
  {
    key: "building",
    head: "Building",
    field: "building",
    groups: true,
    width: 120,
    extra: true,
    text: (d) => d.building ?? "",
  },
  { key: "rack", head: "Rack", field: "rack", groups: true, width: 80, extra: true, text: (d) => d.rack ?? "" },
  {
    key: "contact",
    head: "Contact",
    field: "contact",
    groups: true,
    width: 120,
    extra: true,
    text: (d) => d.contact ?? "",
  },
  {
    key: "ports",
    head: "Ports up",
    width: 108,
    text: (d) => `${d.ports.well} of ${d.ports.total}`,
    cell: (d) => <PortsUp d={d} />,
  },
  {
    key: "poe",
    head: "PoE used",
    field: "poe.watts",
    width: 90,
    right: true,
    extra: true,
    text: (d) => watts(d.power?.used_mw),
  },
  {
    key: "up",
    head: "Up for",
    field: "up",
    width: 66,
    right: true,
    text: (d) => d.booted_at,
    cell: (d) => <Ago at={d.booted_at} word="" />,
  },
  {
    key: "seen",
    head: "Seen",
    field: "seen",
    width: 70,
    right: true,
    text: (d) => d.seen_at,
    cell: (d) => <Ago at={d.seen_at} />,
  },
];

export function DevicesPage({ me }: { me: Person }) {
  const [scope, setScope] = useScope();
  const [enrol, setEnrol] = useView("enrol");
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex items-center justify-between">
        <h1 className="text-lg font-semibold">Devices</h1>
        {allowed(me, "operate", "devices") && (
          <span className="flex gap-2">
            {allowed(me, "see", "discovery") && (
              <Link
                to="/discover"
                className="inline-flex h-7 items-center gap-1.5 rounded-sm border border-rule bg-raised px-2.5 font-medium text-ink hover:border-soft hover:no-underline"
              >
                <Radar size={15} aria-hidden /> Discover
              </Link>
            )}
            <Link
              to="/expected"
              className="inline-flex h-7 items-center gap-1.5 rounded-sm border border-rule bg-raised px-2.5 font-medium text-ink hover:border-soft hover:no-underline"
            >
              <PackageOpen size={15} aria-hidden /> Expected
            </Link>
            <Button kind="main" onClick={() => setEnrol("1")}>
              <Plus size={15} aria-hidden /> Enrol a device
            </Button>
          </span>
        )}
      </div>
      <Grid
        noun="devices"
        title={(total, all) => (scope ? `${total} of ${many(all, "device")}` : many(total, "device"))}
        where={scope}
        columns={columns}
        rowKey={(d) => d.name}
        defaultSort="name"
        totals={["kind", "health"]}
        className="max-h-[calc(100vh-216px)]"
        empty={
          scope ? (
            <Empty title="No device fits the scope">
              <Button onClick={() => setScope("")}>Clear the scope</Button>
            </Empty>
          ) : (
            <Empty title="There are no devices yet">Enrol the first one by its address.</Empty>
          )
        }
      />
      <EnrolDialog open={enrol !== ""} onOpenChange={(o) => setEnrol(o ? "1" : "")} />
    </div>
  );
}
