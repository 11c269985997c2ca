import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { allowed, type Person, type Tunnel, type TunnelEnd } from "../../api/client";
import { useKept, useView } from "../../app/view";
import { Button, Empty, Failure, Modal, Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { type Column, Table } from "../../ui/table";
import { many } from "../../ui/time";
import { useOwnDraft } from "../settings/queries";
import { useRemoveTunnel, useSheet, useTunnels } from "./queries";

/** The tunnels between sites with both their ends, and why those are down that are. */
export function Tunnels({ scope, me }: { scope: string; me: Person }) {
  const list = useTunnels(scope);
  const [sort, setSort] = useView("tsort", "state");
  const [looking, look] = useState<Tunnel>();
  const rows = list.data?.items ?? [];
  const columns: Column<Tunnel>[] = [
    {
      key: "tunnel",
      head: "Tunnel",
      mono: true,
      sort: (t) => t.name,
      cell: (t) => (
        <button type="button" className="text-accent hover:underline" onClick={() => look(t)}>
          {t.name}
        </button>
      ),
    },
    {
      key: "state",
      head: "State",
      sort: (t) => `${Number(t.up)} ${t.near.device} ${t.name}`,
      cell: (t) => <HealthMark state={t.up ? "well" : "down"} word={t.up ? "up" : "down"} />,
    },
    { key: "from", head: "From", sort: (t) => t.near.device, cell: (t) => <EndMark end={t.near} /> },
    {
      key: "to",
      head: "To",
      sort: (t) => t.far?.device ?? t.peer ?? "",
      cell: (t) =>
        t.far ? (
          <EndMark end={t.far} />
        ) : (
          <span>
            <span className="font-mono">{t.peer}</span>
            {t.foreign && <span className="text-soft"> not known here</span>}
          </span>
        ),
    },
    {
      key: "protection",
      head: "Protection",
      sort: (t) => `${t.encryption} ${t.group}`,
      cell: (t) => (
        <span>
          {t.encryption}{" "}
          <span className="text-soft" title="key exchange group">
            {t.group}
          </span>
        </span>
      ),
    },
    {
      key: "beyond",
      head: "Networks beyond",
      mono: true,
      sort: (t) => t.near.remote.join(),
      cell: (t) => t.near.remote.join(", ") || "any",
    },
    {
      key: "why",
      head: "Why it is down",
      sort: (t) => t.why.length,
      cell: (t) => (
        <span className="block max-w-52 truncate" title={t.why.join(" ")}>
          {t.why[0]}
        </span>
      ),
    },
  ];
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  const down = rows.filter((t) => !t.up).length;
  return (
    <Panel title={many(rows.length, "tunnel")} aside={down > 0 ? `${down} down` : undefined}>
      <Table
        label="Tunnels"
        columns={columns}
        rows={rows}
        rowKey={(t) => `${t.near.device} ${t.name}`}
        sort={sort}
        onSort={setSort}
        className="max-h-[calc(100vh-200px)]"
        empty={
          list.data ? (
            <Empty title="No edge here has a tunnel">
              Join two edges, or all spokes with their hubs: both ends are set in one draft.
            </Empty>
          ) : null
        }
      />
      {looking && <TunnelDialog tunnel={looking} me={me} close={() => look(undefined)} />}
    </Panel>
  );
}

function EndMark({ end }: { end: TunnelEnd }) {
  const kept = useKept();
  return (
    <span className="font-mono">
      <Link to={kept(`/devices/${end.device}`)} className="text-accent hover:underline">
        {end.device}
      </Link>
      {end.port && <span className="text-soft">:{end.port}</span>}
    </span>
  );
}

/** One tunnel: why it is down, what the other end has to know, and taking it away. */
function TunnelDialog({ tunnel: t, me, close }: { tunnel: Tunnel; me: Person; close: () => void }) {
  const sheet = useSheet(t.near.device, t.name);
  const draft = useOwnDraft(me);
  const remove = useRemoveTunnel();
  const [, setTray] = useView("tray");
  const takeAway = () =>
    remove.mutate(
      { device: t.near.device, name: t.name, change: draft },
      {
        onSuccess: (a) => {
          if (!a.change) {
            toast.error(a.results.find((r) => r.why)?.why ?? "Nothing is different.");
            return;
          }
          close();
          setTray(String(a.change.number));
        },
      },
    );
  return (
    <Modal open wide onOpenChange={close} title={`Tunnel ${t.name}`} description={t.purpose || "Between two sites."}>
      <div className="grid gap-3">
        {t.why.length > 0 && (
          <section aria-label="Why it is down">
            <h3 className="mb-1 text-sm font-semibold">Why it is down</h3>
            <ul className="grid list-disc gap-1 pl-5">
              {t.why.map((w) => (
                <li key={w}>{w}</li>
              ))}
            </ul>
          </section>
        )}
        <section aria-label="For the other end">
          <h3 className="mb-1 text-sm font-semibold">For who sets up the other end</h3>
          {sheet.isError && <Failure error={sheet.error} retry={() => void sheet.refetch()} />}
          {sheet.data && (
            <>
              <dl className="grid grid-cols-[minmax(120px,max-content)_minmax(0,1fr)] gap-x-4 gap-y-0.5">
                {sheet.data.lines
                  .filter((l) => l.value)
                  .map((l) => (
                    <div key={l.what} className="contents">
                      <dt className="text-soft">{l.what}</dt>
                      <dd className="break-words font-mono">{l.value}</dd>
                    </div>
                  ))}
              </dl>
              <p className="mt-2 text-xs text-soft">{sheet.data.caution}</p>
            </>
          )}
        </section>
        <div className="flex justify-end gap-2">
          {allowed(me, "change", "ports") && (
            <Button kind="danger" disabled={remove.isPending} onClick={takeAway}>
              {t.far ? "Take both ends away, in a draft" : "Take it away, in a draft"}
            </Button>
          )}
          <Button onClick={close}>Leave it</Button>
        </div>
      </div>
    </Modal>
  );
}
