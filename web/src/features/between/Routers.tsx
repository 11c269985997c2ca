import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import type { Person, Router } from "../../api/client";
import { useKept, useView } from "../../app/view";
import { Button, Choices, Empty, Failure, Modal, Panel, TextField } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { type Column, Table } from "../../ui/table";
import { Ago, many } from "../../ui/time";
import { useBulk, useOwnDraft } from "../settings/queries";
import { useRouters } from "./queries";

/** The routers of sites with which edges exchange routes: how each is, and why nothing is exchanged. */
export function Routers({ scope }: { scope: string }) {
  const list = useRouters(scope);
  const [sort, setSort] = useView("rtsort", "edge");
  const kept = useKept();
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  const rows = list.data?.items ?? [];
  const columns: Column<Router>[] = [
    {
      key: "edge",
      head: "Edge",
      mono: true,
      sort: (r) => `${r.device} ${r.name}`,
      cell: (r) => (
        <Link to={kept(`/devices/${r.device}?tab=routing`)} className="text-accent hover:underline">
          {r.device}
        </Link>
      ),
    },
    { key: "by", head: "By", sort: (r) => r.protocol, cell: (r) => r.protocol.toUpperCase() },
    {
      key: "name",
      head: "Set in",
      mono: true,
      sort: (r) => r.object,
      cell: (r) => (
        <Link to={kept(`/devices/${r.device}?tab=settings&object=${r.object}`)} className="text-accent hover:underline">
          {r.object}
        </Link>
      ),
    },
    { key: "router", head: "Router", mono: true, sort: (r) => r.address ?? "", cell: (r) => r.address ?? "none heard" },
    {
      key: "in",
      head: "AS or area",
      mono: true,
      sort: (r) => r.as ?? r.area ?? "",
      cell: (r) => (r.protocol === "bgp" ? r.as || "none" : r.area),
    },
    { key: "vrf", head: "VRF", mono: true, sort: (r) => r.vrf ?? "", cell: (r) => r.vrf ?? "–" },
    {
      key: "state",
      head: "State",
      sort: (r) => Number(r.up),
      cell: (r) => (
        <HealthMark state={r.up ? (r.why ? "degraded" : "well") : "down"} word={r.up ? "up" : r.state || "down"} />
      ),
    },
    { key: "since", head: "Since", sort: (r) => r.since ?? "", cell: (r) => (r.since ? <Ago at={r.since} /> : "") },
    { key: "routes", head: "Routes", right: true, sort: (r) => r.routes, cell: (r) => r.routes },
  ];
  const faults = rows.filter((r) => r.why);
  return (
    <>
      {faults.length > 0 && (
        <Panel title="Where nothing is exchanged, or less than was meant">
          <ul className="grid list-disc gap-1 py-2 pl-8 pr-3">
            {faults.map((r) => (
              <li key={r.device + r.object}>
                <span className="font-mono">
                  {r.device} {r.name}
                </span>
                : {r.why}
              </li>
            ))}
          </ul>
        </Panel>
      )}
      <Panel title={many(rows.length, "router")}>
        <Table
          label="Routers"
          columns={columns}
          rows={rows}
          rowKey={(r) => `${r.device} ${r.object} ${r.address ?? ""}`}
          sort={sort}
          onSort={setSort}
          className="max-h-[calc(100vh-200px)]"
          empty={
            list.data ? (
              <Empty title="No edge here exchanges routes with a router of its site">
                What others have behind a router at a site is reached once the edge and that router tell each other of
                it: by BGP, or by OSPF.
              </Empty>
            ) : null
          }
        />
      </Panel>
    </>
  );
}

/** Has an edge exchange routes with a router of its site. */
export function ExchangeDialog({ me, close }: { me: Person; close: () => void }) {
  const [by, setBy] = useState<string>("bgp");
  const [v, setV] = useState({
    edge: "",
    name: "",
    address: "",
    as: "",
    announces: "",
    accepts: "",
    vlan: "",
    area: "0.0.0.0",
    secret: "",
  });
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const put = useBulk();
  const bgp = by === "bgp";
  const object = bgp ? `bgp-peer/${v.name.trim().toLowerCase()}` : `gateway/${v.vlan.trim()}`;
  const ready = v.edge.trim() !== "" && (bgp ? v.name && v.address && v.as : v.vlan && v.area) !== "";
  const some = (set: Record<string, string>) => Object.fromEntries(Object.entries(set).filter(([, value]) => value));
  const submit = (e: FormEvent) => {
    e.preventDefault();
    const set: Record<string, string> = bgp
      ? {
          present: "on",
          "peer-address": v.address.trim(),
          "peer-as": v.as.trim(),
          announces: v.announces.trim(),
          accepts: v.accepts.trim(),
          "peer-secret": v.secret,
        }
      : { "ospf-area": v.area.trim(), "ospf-secret": v.secret };
    put.mutate(
      { change: draft, on: [`${v.edge.trim()}:${object}`], set: some(set) },
      {
        onSuccess: (a) => {
          if (!a.change) {
            toast.error(a.results.find((r) => r.why)?.why ?? "All of this is so already.");
            return;
          }
          close();
          setTray(String(a.change.number));
        },
      },
    );
  };
  const text = (name: keyof typeof v, label: string, help: string, secret = false) => (
    <TextField label={label} help={help} value={v[name]} set={(to) => setV({ ...v, [name]: to })} secret={secret} />
  );
  return (
    <Modal
      open
      wide
      onOpenChange={close}
      title="Exchange routes with a router"
      description="The edge tells a router of its site what it reaches, and learns what is behind it. Other sites are told too."
    >
      <form onSubmit={submit} className="grid gap-x-3 gap-y-1 sm:grid-cols-2">
        <div className="sm:col-span-2">
          <Choices
            label="By"
            value={by}
            of={[
              ["bgp", "BGP"],
              ["ospf", "OSPF"],
            ]}
            pick={setBy}
          />
        </div>
        {text("edge", "Edge", "such as kb-edge-01")}
        {bgp ? (
          <>
            {text("name", "Name", "of the router here, such as yard")}
            {text("address", "Address", "of the router, in a network of the edge")}
            {text("as", "AS", "its autonomous system, such as 64900")}
            {text("announces", "Announces", "prefixes that it is told of: 10.0.0.0/8, or any; nothing when left out")}
            {text("accepts", "Accepts", "prefixes that are behind it: 172.20.8.0/22, or any; nothing when left out")}
          </>
        ) : (
          <>
            {text("vlan", "VLAN", "in which the router is, and the edge has an address")}
            {text("area", "Area", "such as 0.0.0.0")}
          </>
        )}
        {text("secret", "Secret", "8 to 80 characters, the same at the router", true)}
        {put.isError && (
          <div className="sm:col-span-2">
            <Failure error={put.error} />
          </div>
        )}
        <div className="flex items-end justify-end gap-2 sm:col-span-2">
          <Button onClick={close}>Leave it</Button>
          <Button type="submit" kind="main" disabled={!ready || put.isPending}>
            Put it into a draft
          </Button>
        </div>
      </form>
    </Modal>
  );
}
