import { allowed, type Change, type Person } from "../../api/client";
import { useChanges } from "../../api/queries";
import { useView } from "../../app/view";
import { Empty, Failure, Panel } from "../../ui/controls";
import { changeShape, changeWord, HealthMark } from "../../ui/health";
import { shown } from "../../ui/secret";
import { type Column, Table } from "../../ui/table";
import { Ago, many } from "../../ui/time";
import { CompareView } from "./CompareView";
import { ExportButton, FileDialog } from "./FileDialog";
import { RulesView } from "./RulesView";

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
    cell: (c) =>
      c.why ||
      c.edits
        .slice(0, 2)
        .map((e) => `${e.port} ${e.field}=${shown(e.value)}`)
        .join(", ") + (c.edit_count > 2 ? ` and ${c.edit_count - 2} more` : ""),
  },
  {
    key: "devices",
    head: "Devices",
    width: "200px",
    mono: true,
    cell: (c) => {
      const all = c.devices.length
        ? c.devices.map((d) => d.device)
        : [...new Set(c.edits.map((e) => e.port.split(":")[0]))];
      return all.length > 2 ? `${all[0]} and ${all.length - 1} more` : all.join(", ");
    },
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

const views: [string, string][] = [
  ["", "All changes"],
  ["compare", "Compare two moments"],
  ["rules", "Rules"],
];

export function ChangesPage({ me }: { me: Person }) {
  const [view, setView] = useView("view");
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex flex-wrap items-center gap-3">
        <h1 className="text-lg font-semibold">Changes</h1>
        <nav aria-label="What is shown" className="flex gap-1">
          {views.map(([v, word]) => (
            <button
              key={v}
              type="button"
              aria-current={view === v}
              onClick={() => setView(v)}
              className="h-7 rounded-sm border border-rule bg-raised px-2.5 hover:border-soft aria-[current=true]:border-accent aria-[current=true]:font-semibold"
            >
              {word}
            </button>
          ))}
        </nav>
        <span className="grow" />
        {allowed(me, "see", "configuration") && <ExportButton />}
        {allowed(me, "change", "ports") && <FileDialog me={me} />}
      </div>
      {view === "compare" ? <CompareView /> : view === "rules" ? <RulesView me={me} /> : <AllChanges />}
    </div>
  );
}

function AllChanges() {
  const changes = useChanges();
  const [sort, setSort] = useView("sort", "-number");
  const [tray, setTray] = useView("tray");
  return (
    <Panel title={many(changes.data?.items.length ?? 0, "change")} aside="pick one to look at it">
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
  );
}
