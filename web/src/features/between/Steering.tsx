import { Link } from "react-router";
import { allowed, type Person, type SteeredFlow, type SteeringMove, type SteeringReplay } from "../../api/client";
import { useKept, useView } from "../../app/view";
import { Empty, Failure, Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { type Column, Table } from "../../ui/table";
import { Ago, dayTime, many, span } from "../../ui/time";
import { octets } from "../ports/PortPanel";
import { useOwnDraft } from "../settings/queries";
import { useSteeredFlows, useSteering } from "./queries";

const whys: Record<string, string> = {
  first: "first in order",
  limit: "the one before broke a limit",
  down: "the one before went down",
  return: "it was good again",
  lost: "none is left",
};

/** How traffic does that goes over a tunnel for a reason. */
const shapes: Record<string, string> = {
  first: "well",
  return: "well",
  limit: "degraded",
  down: "degraded",
  lost: "down",
};

const traffic = (way: number, text?: string) => text || (way === 0 ? "all else" : "all");

function flowColumns(pick?: (edge: string) => void, picked?: string): Column<SteeredFlow>[] {
  const columns: Column<SteeredFlow>[] = [
    { key: "traffic", head: "Traffic", sort: (f) => f.way || 70_000, cell: (f) => traffic(f.way, f.traffic) },
    { key: "to", head: "To", mono: true, sort: (f) => f.far, cell: (f) => f.far },
    {
      key: "over",
      head: "Over",
      mono: true,
      sort: (f) => f.tunnel ?? "",
      cell: (f) => (
        <span>
          {f.tunnel ?? "nothing"}
          {f.second && <span className="text-soft"> and {f.second}</span>}
        </span>
      ),
    },
    { key: "since", head: "Since", sort: (f) => f.since ?? "", cell: (f) => f.since && <Ago at={f.since} /> },
    {
      key: "why",
      head: "Why",
      sort: (f) => f.why ?? "",
      cell: (f) => f.why && <HealthMark state={shapes[f.why] ?? "unknown"} word={whys[f.why] ?? f.why} />,
    },
    { key: "octets", head: "Carried", right: true, sort: (f) => f.octets, cell: (f) => octets(f.octets) },
  ];
  if (pick)
    columns.unshift({
      key: "edge",
      head: "Edge",
      mono: true,
      sort: (f) => f.device,
      cell: (f) => (
        <button
          type="button"
          className="text-accent hover:underline"
          aria-pressed={f.device === picked}
          onClick={() => pick(f.device)}
        >
          {f.device}
        </button>
      ),
    });
  return columns;
}

/** Which tunnels traffic between sites goes over, by which way and why; of one edge all of it. */
export function Steering({ scope, me }: { scope: string; me: Person }) {
  const list = useSteeredFlows(scope);
  const [sort, setSort] = useView("ssort", "edge");
  const [edge, setEdge] = useView("edge");
  const all = list.data?.items ?? [];
  const rows = edge ? all.filter((f) => f.device === edge) : all;
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  const off = rows.filter((f) => f.why === "limit" || f.why === "down").length;
  return (
    <>
      <Panel
        title={many(rows.length, "flow")}
        aside={
          <span className="flex flex-wrap gap-x-3 text-sm">
            {off > 0 && <span>{off} not where they go first</span>}
            {edge && (
              <button type="button" className="text-accent hover:underline" onClick={() => setEdge("")}>
                All edges
              </button>
            )}
          </span>
        }
      >
        <Table
          label="Flows"
          columns={flowColumns(setEdge, edge)}
          rows={rows}
          rowKey={(f) => `${f.device} ${f.way} ${f.far}`}
          sort={sort}
          onSort={setSort}
          className={edge ? "max-h-80" : "max-h-[calc(100vh-200px)]"}
          empty={
            list.data ? (
              <Empty title="No edge here steers its traffic">
                Everything goes over the first tunnel that is up. Ways are set at an edge, or by a template for many.
              </Empty>
            ) : null
          }
        />
      </Panel>
      {edge && <Edge key={edge} name={edge} me={me} />}
    </>
  );
}

/** How one edge is told to carry what goes to other sites, how that moved, and what it would have come to. */
function Edge({ name, me }: { name: string; me: Person }) {
  const draft = useOwnDraft(me);
  const [of, setOf] = useView("of");
  const got = useSteering(name, of === "draft" ? draft : undefined);
  const kept = useKept();
  const [rsort, setRsort] = useView("rsort", "traffic");
  const [msort, setMsort] = useView("msort", "-at");
  if (got.isError) return <Failure error={got.error} retry={() => void got.refetch()} />;
  const s = got.data;
  if (!s) return <Panel title={name}>{null}</Panel>;
  return (
    <>
      <Panel
        title={
          <span className="flex flex-wrap items-baseline gap-x-3">
            <Link to={kept(`/devices/${name}`)} className="font-mono">
              {name}
            </Link>
            <span className="text-sm font-normal">{many(s.ways.length, "way")}</span>
          </span>
        }
        aside={
          <span className="flex flex-wrap gap-x-3 text-sm">
            {draft !== undefined && (
              <button
                type="button"
                className="text-accent hover:underline"
                aria-pressed={of === "draft"}
                onClick={() => setOf(of === "draft" ? "" : "draft")}
              >
                {of === "draft" ? "As it runs" : `As draft ${draft} makes it`}
              </button>
            )}
            <Link to={kept(`/devices/${name}?tab=settings&object=steering/main`)}>
              {allowed(me, "change", "devices") ? "Edit the ways" : "In its settings"}
            </Link>
          </span>
        }
      >
        {s.ways.length === 0 ? (
          <Empty title="It has no ways">Everything goes over the first tunnel that is up.</Empty>
        ) : (
          <ol className="grid gap-0.5 px-3 py-2">
            {s.ways.map((w) => (
              <li key={w.number} className="grid grid-cols-[4ch_minmax(0,1fr)] gap-x-3">
                <span className="text-right font-mono text-soft">{w.number}</span>
                <span className="break-words font-mono">{w.text}</span>
              </li>
            ))}
          </ol>
        )}
      </Panel>
      <Panel title="Calls in the last 24 hours">
        <p className="px-3 pt-2 text-sm text-soft">
          What calls by these ways would have been, as the edge measured its tunnels (ITU-T G.107, G.711); and without
          them, over the first tunnel that is up.
        </p>
        <Table
          label="Replay"
          columns={replayColumns}
          rows={s.replays}
          rowKey={(r) => `${r.way} ${r.far}`}
          sort={rsort}
          onSort={setRsort}
          empty={<Empty title="Nothing to go through" />}
        />
      </Panel>
      <Panel title={`Moved ${many(s.moves.length, "time")} lately`}>
        <Table
          label="Moves"
          columns={moveColumns}
          rows={s.moves}
          rowKey={(m) => `${m.at} ${m.way} ${m.far}`}
          sort={msort}
          onSort={setMsort}
          className="max-h-80"
          empty={<Empty title="Nothing moved since the edge started" />}
        />
      </Panel>
    </>
  );
}

const moveColumns: Column<SteeringMove>[] = [
  { key: "at", head: "When", sort: (m) => m.at, cell: (m) => <time dateTime={m.at}>{dayTime(m.at)}</time> },
  { key: "traffic", head: "Traffic", sort: (m) => m.way, cell: (m) => traffic(m.way, m.traffic) },
  { key: "to", head: "To", mono: true, sort: (m) => m.far, cell: (m) => m.far },
  { key: "from", head: "Left", mono: true, cell: (m) => m.from ?? "" },
  { key: "onto", head: "Took", mono: true, cell: (m) => m.to ?? "nothing" },
  {
    key: "why",
    head: "Why",
    cell: (m) => (
      <span>
        {whys[m.why] ?? m.why}
        {m.why === "limit" && (
          <span className="text-soft">
            : {m.delay_ms?.toFixed(0)} ms, {(m.jitter_ms ?? 0).toFixed(0)} ms jitter, {(m.loss_percent ?? 0).toFixed(1)}{" "}
            % loss
          </span>
        )}
      </span>
    ),
  },
];

const opinion = (r: SteeringReplay, of: "with" | "without") => (r[of] ? r[of].opinion.toFixed(2) : "");
const bad = (r: SteeringReplay, of: "with" | "without") =>
  r[of] ? (r[of].bad_s > 0 ? span(r[of].bad_s * 1000) : "never") : "";

const replayColumns: Column<SteeringReplay>[] = [
  { key: "traffic", head: "Traffic", sort: (r) => r.way, cell: (r) => traffic(r.way, r.traffic) },
  { key: "to", head: "To", mono: true, sort: (r) => r.far, cell: (r) => r.far },
  { key: "with", head: "MOS", right: true, cell: (r) => (r.with ? opinion(r, "with") : "not measured") },
  {
    key: "without",
    head: "Without",
    right: true,
    cell: (r) => <span className="text-soft">{opinion(r, "without")}</span>,
  },
  { key: "bad", head: "Bad for", right: true, cell: (r) => bad(r, "with") },
  {
    key: "badwithout",
    head: "Without",
    right: true,
    cell: (r) => <span className="text-soft">{bad(r, "without")}</span>,
  },
  { key: "moved", head: "Moves", right: true, sort: (r) => r.moved, cell: (r) => r.moved },
  {
    key: "over",
    head: "Over",
    cell: (r) =>
      Object.entries(r.over)
        .sort(([, a], [, b]) => b - a)
        .map(([tunnel, part]) => `${tunnel || "nothing"} ${(100 * part).toFixed(part > 0.995 ? 0 : 1)} %`)
        .join(", "),
  },
];
