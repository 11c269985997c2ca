import type { Person } from "../../api/client";
import { usePortsByRef } from "../../api/lists";
import { Grid } from "../../app/Grid";
import { useScope } from "../../app/view";
import { Button, Empty } from "../../ui/controls";
import { many } from "../../ui/time";
import { portGrid } from "./columns";
import { PortPanel } from "./PortPanel";
import { usePicked } from "./selection";

export function PortsPage({ me }: { me: Person }) {
  const [scope, setScope] = useScope();
  const picked = usePicked([]);
  const chosen = usePortsByRef([...picked.set]);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <h1 className="text-lg font-semibold">Ports</h1>
      {chosen.length > 0 && <PortPanel ports={chosen} me={me} onClose={picked.clear} />}
      <Grid
        noun="ports"
        title={(total, all) => (scope ? `${total} of ${many(all, "port")}` : many(total, "port"))}
        where={scope}
        columns={portGrid}
        rowKey={(p) => p.ref}
        defaultSort="port"
        totals={["port.health"]}
        selected={picked.set}
        onPick={(key, e, range) => void picked.pickRange(key, e, range)}
        className={chosen.length > 0 ? "max-h-[max(240px,calc(100vh-456px))]" : "max-h-[calc(100vh-212px)]"}
        empty={
          <Empty title="No port fits the scope">
            <Button onClick={() => setScope("")}>Clear the scope</Button>
          </Empty>
        }
      />
    </div>
  );
}
