import { useMutation } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { allowed, api, type Carriage, type Person, type ServicePort, type ServiceVLAN, take } from "../../api/client";
import { useKept, useView } from "../../app/view";
import { Button, Empty, Failure, Modal, Panel, TextField } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { type Column, Table } from "../../ui/table";
import { many } from "../../ui/time";
import { useBulk, useOwnDraft } from "../settings/queries";
import { useServiceVLANs } from "./queries";

interface Row extends ServicePort {
  of: ServiceVLAN;
}

/** Which other ports of its service VLAN one reaches. */
function reaches(row: Row) {
  const others = row.of.ports.filter((p) => p.port !== row.port);
  const near = others.filter((p) => p.part === row.part).map((p) => p.port);
  if (others.length === 0) return "it is the only one";
  if (near.length === 0) return "none";
  return near.length === others.length && others.length > 2 ? `all ${others.length} others` : near.join(", ");
}

/** What devices carry untouched for customers (IEEE 802.1ad): at which ports, and which of these reach each other. */
export function CustomerLines({ me }: { me: Person }) {
  const list = useServiceVLANs();
  const [sort, setSort] = useView("clsort", "vlan");
  const [ending, end] = useState<number>();
  const kept = useKept();
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  const items = list.data?.items ?? [];
  const rows: Row[] = items.flatMap((of) => of.ports.map((p) => ({ ...p, of })));
  const breaks = items.flatMap((v) => v.breaks.map((text) => ({ vlan: v.id, text })));
  const columns: Column<Row>[] = [
    { key: "vlan", head: "Service VLAN", sort: (r) => r.of.id, cell: (r) => r.of.id },
    {
      key: "port",
      head: "Port",
      mono: true,
      sort: (r) => r.port,
      cell: (r) => {
        const [device, port] = [r.port.slice(0, r.port.indexOf(":")), r.port.slice(r.port.indexOf(":") + 1)];
        return (
          <Link
            to={kept(`/devices/${device}?tab=ports&port=${encodeURIComponent(port)}`)}
            className="text-accent hover:underline"
          >
            {r.port}
          </Link>
        );
      },
    },
    { key: "site", head: "Site", sort: (r) => r.site, cell: (r) => r.site },
    { key: "for", head: "Description", sort: (r) => r.description ?? "", cell: (r) => r.description },
    {
      key: "link",
      head: "Link",
      sort: (r) => Number(r.up),
      cell: (r) => <HealthMark state={r.up ? "well" : "down"} word={r.up ? "up" : "down"} />,
    },
    { key: "reaches", head: "Reaches", mono: true, sort: reaches, cell: reaches },
  ];
  if (allowed(me, "change", "devices"))
    columns.push({
      key: "do",
      head: "",
      cell: (r) => (
        <Button aria-label={`End service VLAN ${r.of.id}`} onClick={() => end(r.of.id)}>
          End…
        </Button>
      ),
    });
  return (
    <>
      {breaks.length > 0 && (
        <Panel title="Where a line breaks off">
          <ul className="grid list-disc gap-1 py-2 pl-8 pr-3">
            {breaks.map((b) => (
              <li key={b.vlan + b.text}>
                Service VLAN {b.vlan}: {b.text}
              </li>
            ))}
          </ul>
        </Panel>
      )}
      <Panel title={many(items.length, "service VLAN")}>
        <Table
          label="Service VLANs"
          columns={columns}
          rows={rows}
          rowKey={(r) => `${r.of.id} ${r.port}`}
          sort={sort}
          onSort={setSort}
          className="max-h-[calc(100vh-200px)]"
          empty={
            list.data ? (
              <Empty title="Nothing is carried for customers here">
                A line for a customer takes all that is sent into one port to another, with its tags, apart from your
                own VLANs and from those of others.
              </Empty>
            ) : null
          }
        />
      </Panel>
      {ending !== undefined && <EndDialog vlan={ending} me={me} close={() => end(undefined)} />}
    </>
  );
}

/** Puts the edits that a question came to into a draft, and shows it. */
function useIntoDraft(me: Person, close: () => void) {
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const put = useBulk();
  const into = (c: Carriage, none: string) => {
    for (const note of c.notes) toast.warning(note);
    if (c.edits.length === 0) {
      toast.info(none);
      return;
    }
    const by = new Map<string, Record<string, string>>();
    for (const e of c.edits) by.set(e.port, { ...by.get(e.port), [e.field]: e.value ?? "" });
    put.mutate(
      { change: draft, rows: [...by].map(([on, set]) => ({ on: [on], set })) },
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
  return { into, draft, waits: put.isPending, failed: put.error };
}

/** Carries all that is sent into one port to another, untouched. */
export function CustomerDialog({ me, close }: { me: Person; close: () => void }) {
  const [v, setV] = useState({ vlan: "", from: "", to: "" });
  const { into, draft, waits, failed } = useIntoDraft(me, close);
  const ask = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/v1/service-vlans/{vlan}/carriage", {
          params: { path: { vlan: Number(v.vlan) } },
          body: { from: v.from.trim(), to: v.to.trim(), change: draft },
        }),
      ),
    onSuccess: (c) => into(c, `Service VLAN ${v.vlan} is carried from ${v.from} to ${v.to} already.`),
  });
  const fault = ask.error ?? failed;
  const number = /^\d+$/.test(v.vlan.trim()) && Number(v.vlan) >= 1 && Number(v.vlan) <= 4094;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    ask.mutate();
  };
  const text = (name: keyof typeof v, label: string, help: string) => (
    <TextField label={label} help={help} value={v[name]} set={(to) => setV({ ...v, [name]: to })} />
  );
  return (
    <Modal
      open
      wide
      onOpenChange={close}
      title="Carry a line for a customer"
      description="All that is sent into one port comes out at the other, with its tags. Both ports leave your own VLANs; every port on the ways between passes it."
    >
      <form onSubmit={submit} className="grid gap-x-3 gap-y-1 sm:grid-cols-3">
        {text("vlan", "Service VLAN", "1 to 4094; it does not meet a VLAN of yours of that number")}
        {text("from", "From", "device:port, such as th-sw-01:2/1/46")}
        {text("to", "To", "device:port, such as gs-sw-01:1/1/19")}
        {fault && (
          <div className="sm:col-span-3">
            <Failure error={fault} />
          </div>
        )}
        <div className="flex items-end justify-end gap-2 sm:col-span-3">
          <Button onClick={close}>Leave it</Button>
          <Button
            type="submit"
            kind="main"
            disabled={!number || !v.from.includes(":") || !v.to.includes(":") || ask.isPending || waits}
          >
            Put it into a draft
          </Button>
        </div>
      </form>
    </Modal>
  );
}

function EndDialog({ vlan, me, close }: { vlan: number; me: Person; close: () => void }) {
  const { into, waits, failed } = useIntoDraft(me, close);
  const ask = useMutation({
    mutationFn: () => take(api.GET("/api/v1/service-vlans/{vlan}/ending", { params: { path: { vlan } } })),
    onSuccess: (c) => into(c, `No port is in service VLAN ${vlan}.`),
  });
  const fault = ask.error ?? failed;
  return (
    <Modal
      open
      onOpenChange={close}
      title={`End service VLAN ${vlan}?`}
      description="The draft takes it off all ports. The ports to the customer stay in no VLAN. Nothing changes before you push it."
    >
      {fault && <Failure error={fault} />}
      <div className="flex justify-end gap-2">
        <Button onClick={close}>Leave it</Button>
        <Button kind="main" disabled={ask.isPending || waits} onClick={() => ask.mutate()}>
          Put it into a draft
        </Button>
      </div>
    </Modal>
  );
}
