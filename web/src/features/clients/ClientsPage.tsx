import { Pencil } from "lucide-react";
import { Suspense, useState } from "react";
import { Link } from "react-router";
import { allowed, type NetworkClient, type Person } from "../../api/client";
import { useNameClient } from "../../api/queries";
import { Grid, type GridColumn } from "../../app/Grid";
import { useScope } from "../../app/view";
import { Button, Empty, Field, inputClass, Modal } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { late } from "../../ui/late";
import { Signal } from "../../ui/signal";
import { Ago, many } from "../../ui/time";
import { rate } from "../ports/columns";
import { octets } from "../ports/PortPanel";

const ClientDialog = late(() => import("./ClientDialog"));

function columns(open: (c: NetworkClient) => void, name?: (c: NetworkClient) => void): GridColumn<NetworkClient>[] {
  return [
    {
      key: "name",
      head: "Client",
      field: "client",
      width: 132,
      text: (c) => c.name ?? "",
      cell: (c) => (
        <span className="group flex items-center gap-1.5" title={c.name}>
          <button type="button" className="truncate text-accent hover:underline" onClick={() => open(c)}>
            {c.name || "no name"}
          </button>
          {name && (
            <button
              type="button"
              onClick={() => name(c)}
              aria-label={`Name ${c.mac}`}
              className="text-soft opacity-0 hover:text-accent focus:opacity-100 group-hover:opacity-100"
            >
              <Pencil size={12} />
            </button>
          )}
        </span>
      ),
    },
    {
      key: "here",
      head: "State",
      field: "client.here",
      groups: true,
      width: 78,
      text: (c) => (c.here ? "here" : "gone"),
      cell: (c) => <HealthMark state={c.here ? "well" : "off"} word={c.here ? "here" : "gone"} />,
    },
    { key: "mac", head: "MAC address", field: "client.mac", width: 148, mono: true, text: (c) => c.mac },
    { key: "maker", head: "Maker", field: "client.maker", groups: true, width: 118, text: (c) => c.maker ?? "" },
    { key: "address", head: "Address", field: "client.address", width: 104, mono: true, text: (c) => c.address ?? "" },
    {
      key: "vlan",
      head: "VLAN",
      field: "client.vlan",
      groups: true,
      width: 52,
      right: true,
      text: (c) => (c.vlan ? String(c.vlan) : ""),
    },
    {
      key: "where",
      head: "Where",
      field: "name",
      width: 128,
      mono: true,
      text: (c) => (c.port ? `${c.device}:${c.port}` : c.device),
      cell: (c) => (
        <Link
          to={c.port ? `/devices/${c.device}?sel=${encodeURIComponent(c.port)}` : `/devices/${c.device}?tab=wireless`}
        >
          {c.port ? `${c.device}:${c.port}` : c.device}
        </Link>
      ),
    },
    {
      key: "ssid",
      head: "Network",
      field: "client.ssid",
      groups: true,
      none: "wired",
      width: 128,
      text: (c) => c.ssid ?? "",
    },
    {
      key: "signal",
      head: "dBm",
      field: "client.signal",
      width: 68,
      right: true,
      text: (c) => (c.signal_dbm ? `${c.signal_dbm} dBm` : ""),
      cell: (c) => (c.signal_dbm ? <Signal dbm={c.signal_dbm} bare /> : null),
    },
    {
      key: "down",
      head: "To it",
      field: "client.down",
      width: 82,
      right: true,
      text: (c) => (c.use?.down_bps === undefined ? "" : rate(c.use.down_bps)),
    },
    {
      key: "up",
      head: "From it",
      field: "client.up",
      width: 82,
      right: true,
      extra: true,
      text: (c) => (c.use?.up_bps === undefined ? "" : rate(c.use.up_bps)),
    },
    {
      key: "octets",
      head: "Used",
      field: "client.octets",
      width: 76,
      right: true,
      text: (c) => (c.use ? octets(c.use.up_octets + c.use.down_octets) : ""),
    },
    { key: "site", head: "Site", field: "site", groups: true, width: 120, extra: true, text: (c) => c.site },
    {
      key: "band",
      head: "Band",
      field: "client.band",
      groups: true,
      width: 80,
      extra: true,
      text: (c) => c.band ?? "",
    },
    {
      key: "system",
      head: "System",
      field: "client.system",
      groups: true,
      width: 110,
      extra: true,
      text: (c) => c.system ?? "",
    },
    {
      key: "first",
      head: "First seen",
      field: "client.first",
      width: 90,
      right: true,
      extra: true,
      text: (c) => c.first_seen,
      cell: (c) => <Ago at={c.first_seen} />,
    },
    {
      key: "seen",
      head: "Seen",
      field: "client.seen",
      width: 86,
      right: true,
      extra: true,
      text: (c) => c.last_seen,
      cell: (c) => <Ago at={c.last_seen} />,
    },
  ];
}

export function ClientsPage({ me }: { me: Person }) {
  const [scope, setScope] = useScope();
  const [naming, setNaming] = useState<NetworkClient | null>(null);
  const [shown, setShown] = useState<NetworkClient | null>(null);
  const [own] = useState(() => columns(setShown, setNaming));
  const [readOnly] = useState(() => columns(setShown));
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <h1 className="text-lg font-semibold">Clients</h1>
      <Grid
        noun="clients"
        title={(total, all) => (scope ? `${total} of ${many(all, "client")}` : many(total, "client"))}
        where={scope}
        columns={allowed(me, "operate", "clients") ? own : readOnly}
        rowKey={(c) => c.mac}
        defaultSort="where"
        totals={["client.ssid"]}
        className="max-h-[calc(100vh-212px)]"
        empty={
          scope ? (
            <Empty title="No client fits the scope">
              <Button onClick={() => setScope("")}>Clear the scope</Button>
            </Empty>
          ) : (
            <Empty title="No client was seen yet">
              They show as soon as the tables of switches and access points were read.
            </Empty>
          )
        }
      />
      {shown && (
        <Suspense>
          <ClientDialog c={shown} close={() => setShown(null)} />
        </Suspense>
      )}
      {naming && <NameDialog c={naming} close={() => setNaming(null)} />}
    </div>
  );
}

function NameDialog({ c, close }: { c: NetworkClient; close: () => void }) {
  const [name, setName] = useState(c.given_name ?? "");
  const save = useNameClient();
  return (
    <Modal
      open
      onOpenChange={close}
      title="Name a client"
      description={`${c.mac}${c.maker ? `, by ${c.maker}` : ""}, at ${c.device}`}
    >
      <form
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate({ mac: c.mac, name }, { onSuccess: close });
        }}
        className="grid gap-3"
      >
        <Field
          label="Name"
          help="As people call it. Left empty, it is called as it says itself."
          error={save.error?.message}
        >
          {(id, d) => (
            <input
              id={id}
              aria-describedby={d}
              value={name}
              maxLength={100}
              onChange={(e) => setName(e.target.value)}
              className={inputClass}
            />
          )}
        </Field>
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Leave it</Button>
          <Button kind="main" type="submit" disabled={save.isPending}>
            Keep
          </Button>
        </div>
      </form>
    </Modal>
  );
}
