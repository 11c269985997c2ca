import { Plus } from "lucide-react";
import { useState } from "react";
import { allowed, type GuestPortal, type Person } from "../../api/client";
import { useView } from "../../app/view";
import { Button, Empty, Failure, Panel } from "../../ui/controls";
import { type Column, Table } from "../../ui/table";
import { many } from "../../ui/time";
import { CarryDialog } from "./CarryDialog";
import { PortalEditor } from "./PortalEditor";
import { usePortals } from "./queries";

export const ways: Record<string, string> = {
  agree: "agree to terms",
  voucher: "have a voucher",
  host: "are let in by somebody",
};

/** A span of minutes for people. */
export function lasting(minutes: number) {
  if (minutes % 1440 === 0) return many(minutes / 1440, "day");
  if (minutes % 60 === 0) return `${minutes / 60} h`;
  return `${minutes} min`;
}

/** The pages on which guests are received. */
export function Portals({ me }: { me: Person }) {
  const list = usePortals();
  const [editing, edit] = useView("edit");
  const [carrying, setCarrying] = useState<GuestPortal>();
  const [sort, setSort] = useView("psort", "name");
  const may = allowed(me, "administer", "guests");
  const mayCarry = allowed(me, "change", "ports");
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  const items = list.data?.items ?? [];
  const columns: Column<GuestPortal>[] = [
    {
      key: "name",
      head: "Portal",
      sort: (p) => p.name,
      cell: (p) => (
        <button type="button" className="font-medium text-accent hover:underline" onClick={() => edit(p.name)}>
          {p.name}
        </button>
      ),
    },
    { key: "title", head: "Title", sort: (p) => p.title ?? "", cell: (p) => p.title },
    { key: "way", head: "Guests", sort: (p) => p.way ?? "", cell: (p) => ways[p.way ?? "agree"] },
    {
      key: "minutes",
      head: "Let in for",
      right: true,
      sort: (p) => p.minutes ?? 0,
      cell: (p) => lasting(p.minutes ?? 0),
    },
    {
      key: "rate",
      head: "Rate",
      right: true,
      sort: (p) => p.rate_kbps ?? 0,
      cell: (p) => (p.rate_kbps ? `${p.rate_kbps / 1000} Mbit/s` : ""),
    },
    { key: "networks", head: "Networks", sort: (p) => p.networks.join(), cell: (p) => p.networks.join(", ") },
    { key: "points", head: "Access points", right: true, sort: (p) => p.devices.length, cell: (p) => p.devices.length },
    { key: "in", head: "In", right: true, sort: (p) => p.inside, cell: (p) => p.inside },
    { key: "waiting", head: "Waiting", right: true, sort: (p) => p.waiting, cell: (p) => p.waiting },
    {
      key: "carry",
      head: "",
      right: true,
      cell: (p) =>
        mayCarry ? (
          <Button className="!h-6" onClick={() => setCarrying(p)}>
            Networks…
          </Button>
        ) : null,
    },
  ];
  const picked = items.find((p) => p.name === editing);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <Panel
        title={many(items.length, "portal")}
        aside={
          may && (
            <Button kind="main" onClick={() => edit("new portal")}>
              <Plus size={15} aria-hidden /> Make a portal
            </Button>
          )
        }
      >
        <Table
          label="Portals"
          columns={columns}
          rows={items}
          rowKey={(p) => p.name}
          sort={sort}
          onSort={setSort}
          empty={
            list.data ? (
              <Empty title="There is no portal yet">
                A portal is a page on which guests of a wireless network are received: they agree to terms, write the
                code of a voucher, or are let in by somebody.
              </Empty>
            ) : null
          }
        />
      </Panel>
      {(picked || editing === "new portal") && (
        <PortalEditor key={editing} portal={picked} me={me} close={() => edit("")} made={edit} />
      )}
      {carrying && <CarryDialog portal={carrying} me={me} close={() => setCarrying(undefined)} />}
    </div>
  );
}
