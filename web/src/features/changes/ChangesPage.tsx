import type { Change } from "../../api/client";
import { useChanges } from "../../api/queries";
import { useView } from "../../app/view";
import { Empty, Failure, Panel } from "../../ui/controls";
import { changeShape, changeWord, HealthMark } from "../../ui/health";
import { type Column, Table } from "../../ui/table";
import { Ago } from "../../ui/time";

const columns: Column<Change>[] = [
  { key: "number", head: "Change", width: "80px", right: true, sort: (c) => c.number, cell: (c) => c.number },
  {
    key: "state",
    head: "State",
    width: "110px",
    sort: (c) => c.state,
    cell: (c) => <HealthMark state={changeShape(c.state)} word={changeWord(c.state)} />,
  },
  {
    key: "why",
    head: "Why",
    sort: (c) => c.why,
    cell: (c) => c.why || c.edits.map((e) => `${e.port} ${e.field}=${e.value}`).join(", "),
  },
  {
    key: "devices",
    head: "Devices",
    width: "200px",
    mono: true,
    cell: (c) => [...new Set(c.edits.map((e) => e.port.split(":")[0]))].join(", "),
  },
  { key: "owner", head: "By", width: "90px", sort: (c) => c.owner, cell: (c) => c.owner },
  {
    key: "updated",
    head: "Last step",
    width: "110px",
    right: true,
    sort: (c) => c.updated_at,
    cell: (c) => <Ago at={c.updated_at} />,
  },
];

export function ChangesPage() {
  const changes = useChanges();
  const [sort, setSort] = useView("sort", "-number");
  const [tray, setTray] = useView("tray");
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <h1 className="text-lg font-semibold">Changes</h1>
      <Panel title={`${changes.data?.items.length ?? 0} changes`} aside="pick one to look at it">
        {changes.isError ? (
          <Failure error={changes.error} retry={() => void changes.refetch()} />
        ) : (
          <Table
            label="Changes"
            columns={columns}
            rows={changes.data?.items ?? []}
            rowKey={(c) => String(c.number)}
            sort={sort}
            onSort={setSort}
            selected={new Set([tray])}
            onRow={(c) => setTray(String(c.number))}
            className="max-h-[calc(100vh-176px)]"
            empty={<Empty title="There are no changes yet">Pick a port on a device's face to make the first.</Empty>}
          />
        )}
      </Panel>
    </div>
  );
}
