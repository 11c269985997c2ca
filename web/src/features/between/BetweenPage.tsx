import { Plus } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { allowed, type Circuit, type Path, type PathWay, type Person } from "../../api/client";
import { useKept, useScope, useView } from "../../app/view";
import { Button, Choices, Empty, Failure, Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { Strip } from "../../ui/strip";
import { type Column, Table } from "../../ui/table";
import { many } from "../../ui/time";
import { rate } from "../ports/columns";
import { CircuitDialog } from "./CircuitDialog";
import { CustomerDialog, CustomerLines } from "./CustomerLines";
import { JoinDialog } from "./JoinDialog";
import { useCircuits, usePathStrips, usePaths } from "./queries";
import { RadioLinks } from "./RadioLinks";
import { ExchangeDialog, Routers } from "./Routers";
import { Routes } from "./Routes";
import { MakeDialog, Segments } from "./Segments";
import { Steering } from "./Steering";
import { Tunnels } from "./Tunnels";

/** What lies between sites: tunnels and how calls over them are, and the circuits of providers that they go over. */
export function BetweenPage({ me }: { me: Person }) {
  const [scope] = useScope();
  const [view, setView] = useView("view");
  const [joining, join] = useState(false);
  const [making, make] = useState(false);
  const [exchanging, exchange] = useState(false);
  const [carrying, carry] = useState(false);
  const [editing, edit] = useState<Circuit | "new">();
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <h1 className="text-lg font-semibold">Between sites</h1>
        <Choices
          label="What is shown"
          value={view}
          of={[
            ["", "Paths"],
            ["tunnels", "Tunnels"],
            ["steering", "Steering"],
            ["segments", "Segments"],
            ["routers", "Routers"],
            ["routes", "Routes"],
            ["radio", "Radio links"],
            ["circuits", "Circuits"],
            ["customers", "Customers’ lines"],
          ]}
          pick={setView}
        />
        <span className="grow" />
        {view === "tunnels" && allowed(me, "change", "ports") && (
          <Button kind="main" onClick={() => join(true)}>
            <Plus size={15} aria-hidden /> Join edges…
          </Button>
        )}
        {view === "segments" && allowed(me, "change", "devices") && (
          <Button kind="main" onClick={() => make(true)}>
            <Plus size={15} aria-hidden /> Keep networks apart…
          </Button>
        )}
        {view === "routers" && allowed(me, "change", "devices") && (
          <Button kind="main" onClick={() => exchange(true)}>
            <Plus size={15} aria-hidden /> Exchange routes…
          </Button>
        )}
        {view === "customers" && allowed(me, "change", "devices") && (
          <Button kind="main" onClick={() => carry(true)}>
            <Plus size={15} aria-hidden /> Carry a line…
          </Button>
        )}
        {view === "circuits" && allowed(me, "operate", "devices") && (
          <Button kind="main" onClick={() => edit("new")}>
            <Plus size={15} aria-hidden /> Say what a circuit is…
          </Button>
        )}
      </div>
      {view === "circuits" && <Circuits scope={scope} me={me} edit={edit} />}
      {view === "steering" && <Steering scope={scope} me={me} />}
      {view === "segments" && <Segments scope={scope} />}
      {view === "routers" && <Routers scope={scope} />}
      {view === "routes" && <Routes scope={scope} />}
      {view === "radio" && <RadioLinks scope={scope} me={me} />}
      {view === "tunnels" && <Tunnels scope={scope} me={me} />}
      {view === "" && <Paths scope={scope} me={me} />}
      {view === "customers" && <CustomerLines me={me} />}
      {carrying && <CustomerDialog me={me} close={() => carry(false)} />}
      {making && <MakeDialog me={me} close={() => make(false)} />}
      {exchanging && <ExchangeDialog me={me} close={() => exchange(false)} />}
      {joining && <JoinDialog me={me} close={() => join(false)} />}
      {editing && <CircuitDialog circuit={editing === "new" ? undefined : editing} close={() => edit(undefined)} />}
    </div>
  );
}

const shapes: Record<string, string> = {
  best: "well",
  high: "well",
  medium: "degraded",
  low: "degraded",
  poor: "down",
  "not advised": "down",
  down: "down",
};

function Paths({ scope, me }: { scope: string; me: Person }) {
  const list = usePaths(scope);
  const strips = usePathStrips(scope);
  const days = new Map(strips.data?.items.map((s) => [`${s.device} ${s.tunnel}`, s.steps]));
  const kept = useKept();
  const [sort, setSort] = useView("sort", "edge");
  const device = (name: string) => (
    <Link to={kept(`/devices/${name}`)} className="font-mono text-accent">
      {name}
    </Link>
  );
  const [each, setEach] = useView("each");
  const apart = each === "way";
  const number = (key: string, head: string, of: (p: Path | PathWay) => number, places: number): Column<Path> => ({
    key,
    head: apart ? `${head}: to | from` : head,
    right: true,
    sort: of,
    cell: (p) => {
      if (p.rating === 0) return "";
      if (!apart) return of(p).toFixed(places);
      const way = (w?: PathWay) => (w ? of(w).toFixed(places) : "–");
      return (
        <span className="whitespace-nowrap">
          {way(p.sent)}
          <span className="mx-1 text-soft">|</span>
          {way(p.received)}
        </span>
      );
    },
  });
  const columns: Column<Path>[] = [
    { key: "edge", head: "Edge", sort: (p) => p.device, cell: (p) => device(p.device) },
    { key: "tunnel", head: "Tunnel", mono: true, sort: (p) => p.tunnel, cell: (p) => p.tunnel },
    { key: "to", head: "To", sort: (p) => p.far ?? "", cell: (p) => p.far && device(p.far) },
    { key: "over", head: "Over", mono: true, sort: (p) => p.port, cell: (p) => p.port },
    { key: "by", head: "By", sort: (p) => p.underlay, cell: (p) => p.underlay },
    number("delay", "Delay, ms", (p) => p.delay_ms, 1),
    number("jitter", "Jitter, ms", (p) => p.jitter_ms, 1),
    number("loss", "Loss, %", (p) => p.loss_percent, 2),
    ...(apart ? [] : [number("r", "R", (p) => p.rating, 1)]),
    number("mos", "MOS", (p) => p.opinion, 2),
    {
      key: "calls",
      head: "Calls",
      sort: (p) => p.rating,
      cell: (p) => <HealthMark state={shapes[p.category] ?? "unknown"} word={p.category} />,
    },
    {
      key: "day",
      head: "24 h",
      cell: (p) => {
        const steps = days.get(`${p.device} ${p.tunnel}`);
        return strips.data && steps ? (
          <span className="block w-16">
            <Strip of={`Calls over ${p.tunnel}`} from={strips.data.from} step={strips.data.step_s} steps={steps} />
          </span>
        ) : null;
      },
    },
    {
      key: "measure",
      head: "",
      cell: (p) =>
        p.far && p.up && allowed(me, "operate", "tests") ? (
          <Link
            to={`/devices/${p.device}?tab=tests&ask=throughput&to=${p.far}&over=${p.tunnel}`}
            className="text-accent hover:underline"
            aria-label={`Measure what goes through ${p.tunnel} from ${p.device}`}
          >
            Measure…
          </Link>
        ) : null,
    },
  ];
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  return (
    <Panel
      title={many(list.data?.items.length ?? 0, "tunnel end")}
      aside={
        <Choices
          label="Measured"
          value={each}
          of={[
            ["", "There and back"],
            ["way", "Each way"],
          ]}
          pick={setEach}
        />
      }
    >
      <Table
        label="Paths"
        columns={columns}
        rows={list.data?.items ?? []}
        rowKey={(p) => `${p.device} ${p.tunnel}`}
        sort={sort}
        onSort={setSort}
        className="max-h-[calc(100vh-200px)]"
        empty={list.data ? <Empty title="No edge here has a tunnel" /> : null}
      />
    </Panel>
  );
}

function Circuits({ scope, me, edit }: { scope: string; me: Person; edit: (c: Circuit | "new") => void }) {
  const list = useCircuits(scope);
  const [sort, setSort] = useView("csort", "at");
  const may = allowed(me, "operate", "devices");
  const used = (bps: number, mbps?: number) => (
    <span>
      {rate(bps)}
      {mbps ? (
        <span className="text-soft" title={`of ${mbps} Mbit/s`}>
          {" "}
          {Math.round(bps / 1e4 / mbps)} %
        </span>
      ) : null}
    </span>
  );
  const columns: Column<Circuit>[] = [
    {
      key: "at",
      head: "At",
      mono: true,
      sort: (c) => `${c.device}:${c.port}`,
      cell: (c) =>
        may ? (
          <button type="button" className="text-accent hover:underline" onClick={() => edit(c)}>
            {c.device}:{c.port}
          </button>
        ) : (
          `${c.device}:${c.port}`
        ),
    },
    { key: "site", head: "Site", sort: (c) => c.site ?? "", cell: (c) => c.site },
    { key: "provider", head: "Provider", sort: (c) => c.provider, cell: (c) => c.provider },
    { key: "kind", head: "Kind", sort: (c) => c.kind, cell: (c) => c.kind },
    {
      key: "up",
      head: "Link",
      sort: (c) => Number(c.up),
      cell: (c) => <HealthMark state={c.up ? "well" : "down"} word={c.up ? "up" : "down"} />,
    },
    { key: "down", head: "In", right: true, sort: (c) => c.down_bps, cell: (c) => used(c.down_bps, c.down_mbps) },
    { key: "out", head: "Out", right: true, sort: (c) => c.up_bps, cell: (c) => used(c.up_bps, c.up_mbps) },
    {
      key: "month",
      head: "This month",
      right: true,
      sort: (c) => c.month_octets ?? 0,
      cell: (c) => gigabytes(c.month_octets),
    },
    {
      key: "foreseen",
      head: "Foreseen",
      right: true,
      sort: (c) => c.month_foreseen ?? 0,
      cell: (c) => gigabytes(c.month_foreseen),
    },
    {
      key: "cap",
      head: "Cap",
      sort: (c) => c.cap_gb ?? 0,
      cell: (c) =>
        c.cap_gb ? (
          <HealthMark
            state={standings[c.standing ?? ""] ?? "unknown"}
            word={`${c.cap_gb} GB${c.standing ? `, ${c.standing}` : ""}`}
          />
        ) : null,
    },
    { key: "contract", head: "Contract", sort: (c) => c.contract ?? "", cell: (c) => c.contract },
  ];
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  return (
    <Panel title={many(list.data?.items.length ?? 0, "circuit")}>
      <Table
        label="Circuits"
        columns={columns}
        rows={list.data?.items ?? []}
        rowKey={(c) => `${c.device}:${c.port}`}
        sort={sort}
        onSort={setSort}
        className="max-h-[calc(100vh-200px)]"
        empty={
          list.data ? (
            <Empty title="No circuit is known yet">
              Say whose the lines are that lead out of the sites, how fast they are and what may go through in a month.
            </Empty>
          ) : null
        }
      />
    </Panel>
  );
}

const standings: Record<string, string> = { over: "down", "likely over": "degraded", within: "well" };

const gigabytes = (octets?: number) => (octets === undefined ? "" : `${(octets / 1e9).toFixed(1)} GB`);
