import { toast } from "sonner";
import { allowed, type BlockedStation, type Person } from "../../api/client";
import { useScope, useView } from "../../app/view";
import { Button, Empty, Failure, Panel } from "../../ui/controls";
import { type Column, Table } from "../../ui/table";
import { many } from "../../ui/time";
import { useBlock } from "../clients/BlockDialog";
import { useOwnDraft } from "../settings/queries";
import { useBlocked } from "./queries";

/** Stations of which devices let nothing pass, wired ones too. */
export function Blocked({ scope, me }: { scope: string; me: Person }) {
  const list = useBlocked(scope);
  const [, setScope] = useScope();
  const [sort, setSort] = useView("bsort", "station");
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const block = useBlock();
  const unblock = (b: BlockedStation) =>
    block.mutate(
      { mac: b.mac, change: draft, passes: true },
      {
        onSuccess: (a) => {
          if (a.change) setTray(String(a.change.number));
          else toast.error(a.results.find((r) => r.why)?.why ?? "It is not blocked any more.");
        },
      },
    );
  const columns: Column<BlockedStation>[] = [
    {
      key: "station",
      head: "Station",
      sort: (b) => b.name || b.mac,
      cell: (b) => (
        <span>
          {b.name && <span>{b.name} </span>}
          <span className="font-mono text-sm">{b.mac}</span>
        </span>
      ),
    },
    { key: "until", head: "Until", sort: (b) => b.until ?? "9", cell: (b) => b.until ?? "for good" },
    { key: "why", head: "Why", sort: (b) => b.purpose ?? "", cell: (b) => b.purpose },
    {
      key: "by",
      head: "By",
      right: true,
      sort: (b) => b.devices.length,
      cell: (b) => <span title={b.devices.slice(0, 20).join(", ")}>{many(b.devices.length, "device")}</span>,
    },
    {
      key: "end",
      head: "",
      right: true,
      cell: (b) =>
        allowed(me, "change", "templates") ? (
          <Button className="!h-6" disabled={block.isPending} onClick={() => unblock(b)}>
            Let it pass
          </Button>
        ) : null,
    },
  ];
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  return (
    <Panel title={`${many(list.data?.items.length ?? 0, "station")} blocked`}>
      <Table
        label="Blocked stations"
        columns={columns}
        rows={list.data?.items ?? []}
        rowKey={(b) => b.mac}
        sort={sort}
        onSort={setSort}
        className="max-h-[calc(100vh-200px)]"
        empty={
          list.data ? (
            <Empty title="No station is blocked">
              {scope ? (
                <Button onClick={() => setScope("")}>Look at all devices</Button>
              ) : (
                "A client is blocked from its page: press its name among the clients."
              )}
            </Empty>
          ) : null
        }
      />
    </Panel>
  );
}
