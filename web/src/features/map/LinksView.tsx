import { Link } from "react-router";
import type { NetworkLink } from "../../api/client";
import { Grid, type GridColumn } from "../../app/Grid";
import { useScope } from "../../app/view";
import { Button, Empty } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { many } from "../../ui/time";
import { rate } from "../ports/columns";

type End = NetworkLink["a"];

function EndOf({ end, kind }: { end: End; kind: string }) {
  const to =
    kind === "tunnel"
      ? `/devices/${end.device}?tab=tunnels`
      : `/devices/${end.device}?sel=${encodeURIComponent((end.ports ?? []).join(","))}`;
  return (
    <Link to={to} className="font-mono text-sm" title={`${end.device}:${end.name}`}>
      {end.device}:{end.name}
    </Link>
  );
}

const speed = (mbps?: number) => (!mbps ? "" : mbps >= 1000 ? `${mbps / 1000} Gb/s` : `${mbps} Mb/s`);

function remarks(l: NetworkLink): string {
  return [
    l.members > 1 && `${l.up} of ${l.members} cables up`,
    l.blocked_at && `blocked at ${l.blocked_at}`,
    l.radio && "radio",
    l.one_sided && "seen from one end only",
  ]
    .filter(Boolean)
    .join(", ");
}

const columns: GridColumn<NetworkLink>[] = [
  {
    key: "health",
    head: "State",
    field: "link.health",
    groups: true,
    width: 92,
    text: (l) => l.health,
    cell: (l) => <HealthMark state={l.health} />,
  },
  {
    key: "a",
    head: "From",
    field: "link",
    width: 205,
    mono: true,
    text: (l) => `${l.a.device}:${l.a.name}`,
    cell: (l) => <EndOf end={l.a} kind={l.kind} />,
  },
  {
    key: "b",
    head: "To",
    field: "link.to",
    width: 205,
    mono: true,
    text: (l) => `${l.b.device}:${l.b.name}`,
    cell: (l) => <EndOf end={l.b} kind={l.kind} />,
  },
  { key: "kind", head: "Kind", field: "link.kind", groups: true, width: 70, text: (l) => l.kind },
  {
    key: "speed",
    head: "Speed",
    field: "link.mbps",
    groups: true,
    width: 78,
    right: true,
    text: (l) => speed(l.speed_mbps),
  },
  {
    key: "use",
    head: "Use",
    field: "link.use",
    width: 62,
    right: true,
    text: (l) => (l.use_percent === undefined ? "" : `${l.use_percent.toFixed(1)} %`),
  },
  { key: "ab", head: "There", field: "link.tx", width: 88, right: true, text: (l) => (l.ab_bps ? rate(l.ab_bps) : "") },
  { key: "ba", head: "Back", field: "link.rx", width: 88, right: true, text: (l) => (l.ba_bps ? rate(l.ba_bps) : "") },
  {
    key: "underlay",
    head: "Underlay",
    field: "link.underlay",
    groups: true,
    none: "no tunnel",
    width: 84,
    text: (l) => l.underlay ?? "",
  },
  {
    key: "delay",
    head: "Delay",
    field: "link.delay",
    width: 74,
    right: true,
    text: (l) => (l.kind === "tunnel" && l.up > 0 ? `${(l.delay_ms ?? 0).toFixed(0)} ms` : ""),
  },
  {
    key: "loss",
    head: "Loss",
    field: "link.loss",
    width: 62,
    right: true,
    text: (l) => (l.kind === "tunnel" && l.up > 0 ? `${(l.loss_percent ?? 0).toFixed(1)} %` : ""),
  },
  { key: "remarks", head: "Remarks", width: 220, text: remarks },
  { key: "vlans", head: "VLANs", extra: true, width: 200, mono: true, text: (l) => (l.vlans ?? []).join(",") },
];

/** Every link as a row: sorted, grouped, counted and exported like any list. */
export function LinksView() {
  const [scope, setScope] = useScope();
  return (
    <Grid
      noun="links"
      title={(total, all) => (scope ? `${total} of ${many(all, "link")}` : many(total, "link"))}
      where={scope}
      columns={columns}
      rowKey={(l) => `${l.a.device}:${l.a.name} ${l.b.device}`}
      defaultSort="link"
      totals={["link.kind", "link.health"]}
      className="max-h-[calc(100vh-250px)]"
      empty={
        <Empty title="No link fits the scope">
          <Button onClick={() => setScope("")}>Clear the scope</Button>
        </Empty>
      }
    />
  );
}
