import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import type { Person, SegmentEdge } from "../../api/client";
import { useKept, useView } from "../../app/view";
import { Button, Empty, Failure, Modal, Panel, TextField } from "../../ui/controls";
import { type Column, Table } from "../../ui/table";
import { many } from "../../ui/time";
import { useOwnDraft } from "../settings/queries";
import { useMakeSegment, useSegments } from "./queries";

type Row = SegmentEdge & { segment: string };

/** The segments (VRF) across edges: what is in which, what is leaked, and where edges disagree. */
export function Segments({ scope }: { scope: string }) {
  const list = useSegments(scope);
  const [sort, setSort] = useView("gsort", "segment");
  const kept = useKept();
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  const segments = list.data?.items ?? [];
  const rows: Row[] = segments.flatMap((s) => s.edges.map((e) => ({ ...e, segment: s.name })));
  const faults = segments.flatMap((s) => s.faults.map((f) => [s.name, f] as const));
  const columns: Column<Row>[] = [
    { key: "segment", head: "Segment", mono: true, sort: (e) => `${e.segment} ${e.device}`, cell: (e) => e.segment },
    { key: "number", head: "Number", right: true, sort: (e) => e.number, cell: (e) => e.number || "none" },
    {
      key: "edge",
      head: "Edge",
      mono: true,
      sort: (e) => e.device,
      cell: (e) => (
        <Link
          to={kept(`/devices/${e.device}?tab=settings&object=segment/${e.segment}`)}
          className="text-accent hover:underline"
        >
          {e.device}
        </Link>
      ),
    },
    {
      key: "networks",
      head: "Networks",
      mono: true,
      sort: (e) => e.networks.map((n) => n.network).join(),
      cell: (e) => e.networks.map((n) => `${n.network ?? "no address"} (VLAN ${n.vlan})`).join(", ") || "none",
    },
    {
      key: "leaks",
      head: "Leaks",
      sort: (e) => e.leaks.join(),
      cell: (e) => [e.leaks.join(", ") || "nothing", e.within.length ? `within ${e.within.join(", ")}` : ""].join(" "),
    },
    { key: "routes", head: "Routes", right: true, sort: (e) => e.routes, cell: (e) => e.routes },
  ];
  return (
    <>
      {faults.length > 0 && (
        <Panel title="In what edges disagree">
          <ul className="grid list-disc gap-1 py-2 pl-8 pr-3">
            {faults.map(([name, f]) => (
              <li key={name + f}>
                <span className="font-mono">{name}</span>: {f}
              </li>
            ))}
          </ul>
        </Panel>
      )}
      <Panel title={many(segments.length, "segment")}>
        <Table
          label="Segments"
          columns={columns}
          rows={rows}
          rowKey={(e) => `${e.segment} ${e.device}`}
          sort={sort}
          onSort={setSort}
          className="max-h-[calc(100vh-200px)]"
          empty={
            list.data ? (
              <Empty title="No edge here keeps networks apart">
                All networks reach each other, as far as firewalls let them. What is in a segment reaches what is in it
                at other sites, and nothing else but what it leaks.
              </Empty>
            ) : null
          }
        />
      </Panel>
    </>
  );
}

const words = (s: string) => s.split(/[\s,]+/).filter(Boolean);

/** Puts networks of many edges into a segment. */
export function MakeDialog({ me, close }: { me: Person; close: () => void }) {
  const [v, setV] = useState({ name: "", vlans: "", number: "", edges: "", leaks: "", prefixes: "", purpose: "" });
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const make = useMakeSegment();
  const vlans = words(v.vlans).map(Number);
  const ready =
    v.name.trim() !== "" && vlans.length > 0 && vlans.every((n) => Number.isInteger(n) && n > 0 && n < 4095);
  const submit = (e: FormEvent) => {
    e.preventDefault();
    make.mutate(
      {
        change: draft,
        name: v.name.trim(),
        vlans,
        number: Number(v.number) || undefined,
        edges: v.edges.trim() || undefined,
        leaks: words(v.leaks),
        prefixes: words(v.prefixes),
        purpose: v.purpose.trim() || undefined,
      },
      {
        onSuccess: (a) => {
          if (!a.change) {
            toast.error(a.results.find((r) => r.why)?.why ?? "All of these are in it already.");
            return;
          }
          close();
          setTray(String(a.change.number));
        },
      },
    );
  };
  const text = (name: keyof typeof v, label: string, help: string) => (
    <TextField label={label} help={help} value={v[name]} set={(to) => setV({ ...v, [name]: to })} />
  );
  return (
    <Modal
      open
      wide
      onOpenChange={close}
      title="Keep networks apart"
      description="The networks of these VLANs go into a segment (VRF), at each edge that has them, in one draft. They reach what is in it at other sites, and nothing else but what it leaks."
    >
      <form onSubmit={submit} className="grid gap-x-3 gap-y-1 sm:grid-cols-2">
        {text("name", "Name", "of the segment, the same at all edges: cameras")}
        {text("vlans", "VLANs", "such as 50, 51")}
        {text("edges", "Edges", "a selector, such as tag = terminal; all when left out")}
        {text("number", "Number", "by which it is known between sites; a free one when left out")}
        {text("leaks", "Leaks", "tables that it uses too: main, outside, other segments")}
        {text("prefixes", "Of these only", "prefixes such as 10.1.30.0/24; all when left out")}
        {text("purpose", "Purpose", "what it is for")}
        {make.isError && (
          <div className="sm:col-span-2">
            <Failure error={make.error} />
          </div>
        )}
        <div className="flex justify-end gap-2 sm:col-span-2">
          <Button onClick={close}>Leave it</Button>
          <Button type="submit" kind="main" disabled={!ready || make.isPending}>
            Put it into a draft
          </Button>
        </div>
      </form>
    </Modal>
  );
}
