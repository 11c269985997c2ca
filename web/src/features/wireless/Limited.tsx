import { toast } from "sonner";
import { allowed, type LimitedStation, type Person } from "../../api/client";
import { useView } from "../../app/view";
import { Button, Failure, Panel } from "../../ui/controls";
import { type Column, Table } from "../../ui/table";
import { many } from "../../ui/time";
import { useLimit } from "../clients/LimitDialog";
import { useOwnDraft } from "../settings/queries";
import { useLimited } from "./queries";

/** Stations that access points let send and receive no more than a rate; nothing where there is none. */
export function Limited({ scope, me }: { scope: string; me: Person }) {
  const list = useLimited(scope);
  const [sort, setSort] = useView("lmsort", "station");
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const limit = useLimit();
  const free = (l: LimitedStation) =>
    limit.mutate(
      { mac: l.mac, change: draft, free: true },
      {
        onSuccess: (a) => {
          if (a.change) setTray(String(a.change.number));
          else toast.error(a.results.find((r) => r.why)?.why ?? "It is not limited any more.");
        },
        onError: (e) => toast.error(e.message),
      },
    );
  const columns: Column<LimitedStation>[] = [
    {
      key: "station",
      head: "Station",
      sort: (l) => l.name || l.mac,
      cell: (l) => (
        <span>
          {l.name && <span>{l.name} </span>}
          <span className="font-mono text-sm">{l.mac}</span>
        </span>
      ),
    },
    { key: "rate", head: "Limited to", sort: (l) => l.rate, cell: (l) => l.rate },
    { key: "until", head: "Until", sort: (l) => l.until ?? "9", cell: (l) => l.until ?? "for good" },
    { key: "why", head: "Why", sort: (l) => l.purpose ?? "", cell: (l) => l.purpose },
    {
      key: "by",
      head: "By",
      right: true,
      sort: (l) => l.devices.length,
      cell: (l) => <span title={l.devices.slice(0, 20).join(", ")}>{many(l.devices.length, "access point")}</span>,
    },
    {
      key: "end",
      head: "",
      right: true,
      cell: (l) =>
        allowed(me, "change", "templates") ? (
          <Button className="!h-6" disabled={limit.isPending} onClick={() => free(l)}>
            Limit it no more
          </Button>
        ) : null,
    },
  ];
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  if (!list.data?.items.length) return null;
  return (
    <Panel title={`${many(list.data.items.length, "station")} limited`}>
      <Table
        label="Limited stations"
        columns={columns}
        rows={list.data.items}
        rowKey={(l) => l.mac}
        sort={sort}
        onSort={setSort}
        className="max-h-72"
        empty={null}
      />
    </Panel>
  );
}
