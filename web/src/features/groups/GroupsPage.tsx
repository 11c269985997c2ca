import { Plus } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { allowed, type Group, type Person } from "../../api/client";
import { useView } from "../../app/view";
import { Button, Empty, Failure, Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { type Column, Table } from "../../ui/table";
import { many } from "../../ui/time";
import { GroupDialog } from "./GroupDialog";
import { useGroups } from "./queries";

const scopeOf = (g: Group) => `?scope=${encodeURIComponent(`group = ${g.name}`)}`;

function columns(edit?: (g: Group) => void): Column<Group>[] {
  return [
    {
      key: "name",
      head: "Group",
      mono: true,
      sort: (g) => g.name,
      cell: (g) =>
        edit ? (
          <button type="button" className="text-accent hover:underline" onClick={() => edit(g)}>
            {g.name}
          </button>
        ) : (
          g.name
        ),
    },
    { key: "title", head: "What for", width: "220px", sort: (g) => g.title ?? "", cell: (g) => g.title },
    {
      key: "devices",
      head: "Devices",
      sort: (g) => g.devices.total,
      cell: (g) => <Link to={`/devices${scopeOf(g)}`}>{many(g.devices.total, "device")}</Link>,
    },
    {
      key: "state",
      head: "State",
      sort: (g) => -(g.devices.down * 1000 + g.devices.degraded),
      cell: (g) => (
        <span className="flex gap-3">
          {(["down", "degraded", "unknown", "well"] as const).map(
            (h) => g.devices[h] > 0 && <HealthMark key={h} state={h} word={`${g.devices[h]} ${h}`} />,
          )}
        </span>
      ),
    },
    {
      key: "ports",
      head: "Ports",
      right: true,
      sort: (g) => g.ports,
      cell: (g) => <Link to={`/ports${scopeOf(g)}`}>{g.ports}</Link>,
    },
    {
      key: "clients",
      head: "Clients",
      right: true,
      sort: (g) => g.clients,
      cell: (g) => <Link to={`/clients${scopeOf(g)}`}>{g.clients}</Link>,
    },
    {
      key: "pick",
      head: "Picked by",
      width: "300px",
      sort: (g) => g.pick ?? "",
      cell: (g) =>
        g.pick ? (
          <code title={g.pick} className="font-mono text-sm">
            {g.pick}
          </code>
        ) : (
          <span className="text-soft">hand</span>
        ),
    },
    { key: "owner", head: "Made by", sort: (g) => g.owner, cell: (g) => g.owner },
  ];
}

/** Named sets of devices: saved selectors, and those picked by hand, with what they come to now. */
export function GroupsPage({ me }: { me: Person }) {
  const groups = useGroups();
  const [sort, setSort] = useView("sort", "name");
  const [editing, setEditing] = useState<Group | "new" | null>(null);
  const [own] = useState(() => columns(setEditing));
  const [readOnly] = useState(() => columns());
  const may = allowed(me, "operate", "groups");
  const rows = groups.data?.items ?? [];
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex items-center justify-between">
        <h1 className="text-lg font-semibold">Groups</h1>
        {may && (
          <Button kind="main" onClick={() => setEditing("new")}>
            <Plus size={15} aria-hidden /> Make a group
          </Button>
        )}
      </div>
      <Panel title={many(rows.length, "group")}>
        {groups.isError ? (
          <Failure error={groups.error} retry={() => void groups.refetch()} />
        ) : (
          <Table
            label="Groups"
            columns={may ? own : readOnly}
            rows={rows}
            rowKey={(g) => g.name}
            sort={sort}
            onSort={setSort}
            className="max-h-[calc(100vh-190px)]"
            empty={
              groups.isPending ? null : (
                <Empty title="There are no groups yet">
                  A group is a selector with a name, or a list of devices. It is a word of the scope line: group =
                  cameras.
                </Empty>
              )
            }
          />
        )}
      </Panel>
      {editing && (
        <GroupDialog
          key={editing === "new" ? "" : editing.name}
          group={editing === "new" ? null : editing}
          pick=""
          close={() => setEditing(null)}
        />
      )}
    </div>
  );
}
