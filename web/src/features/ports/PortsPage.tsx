import { useMemo } from "react";
import type { Person, Port } from "../../api/client";
import { usePorts } from "../../api/queries";
import { useView } from "../../app/view";
import { Button, Empty, Failure, Panel } from "../../ui/controls";
import { Table } from "../../ui/table";
import { portColumns } from "./columns";
import { PortPanel } from "./PortPanel";
import { usePicked } from "./selection";

const columns = portColumns(true);

export function PortsPage({ me }: { me: Person }) {
  const [q, setQ] = useView("q");
  const [sort, setSort] = useView("sort", "port");
  const ports = usePorts(q);
  const rows = ports.data?.items ?? [];
  const order = useMemo(() => rows.map((p) => p.ref), [rows]);
  const picked = usePicked(order);
  const chosen = rows.filter((p: Port) => picked.set.has(p.ref));
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <h1 className="text-lg font-semibold">Ports</h1>
      {chosen.length > 0 && <PortPanel ports={chosen} vlans={[]} me={me} onClose={picked.clear} />}
      <Panel
        title={`${rows.length} ports${q ? " in the scope" : ""}`}
        aside={`${rows.filter((p) => p.health === "well").length} up, ${rows.filter((p) => p.health === "down").length} lost their link`}
      >
        {ports.isError ? (
          <Failure error={ports.error} retry={() => void ports.refetch()} />
        ) : (
          <Table
            label="Ports"
            columns={columns}
            rows={rows}
            rowKey={(p) => p.ref}
            sort={sort}
            onSort={setSort}
            selected={picked.set}
            onRow={(p, e) => picked.pick(p.ref, e)}
            className={chosen.length > 0 ? "max-h-[max(240px,calc(100vh-420px))]" : "max-h-[calc(100vh-176px)]"}
            empty={
              ports.isPending ? (
                <p className="px-3 py-6 text-soft">Reading…</p>
              ) : (
                <Empty title="No port fits the scope">
                  <Button onClick={() => setQ("")}>Clear the scope</Button>
                </Empty>
              )
            }
          />
        )}
      </Panel>
    </div>
  );
}
