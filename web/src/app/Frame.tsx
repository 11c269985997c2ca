import { clsx } from "clsx";
import {
  Activity,
  Archive,
  BadgeCheck,
  BellRing,
  Cable,
  CalendarClock,
  CircleHelp,
  DoorOpen,
  Eye,
  GitCompareArrows,
  Group,
  HardDriveUpload,
  Layers,
  MapPin,
  MonitorSmartphone,
  PanelRight,
  Search,
  ServerCog,
  Shield,
  Spline,
  Tags,
  Users,
  Waypoints,
  Wifi,
} from "lucide-react";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { Link, NavLink } from "react-router";
import { allowed, type Person, tryRole } from "../api/client";
import { useList } from "../api/lists";
import { isOpen, useChanges } from "../api/queries";
import { hold, useHeld, useLive, useStream } from "../api/stream";
import { useAlarmCounts } from "../features/alarms/queries";
import { DraftTray } from "../features/changes/DraftTray";
import { farOf, useJobs } from "../features/jobs/queries";
import { Button, Modal } from "../ui/controls";
import { Shape } from "../ui/health";
import { WordMark } from "../ui/kinds";
import { many, span, useNow } from "../ui/time";
import { Palette } from "./Palette";
import { ScopeLine } from "./ScopeLine";
import { useKept, useTitle, useView } from "./view";

/** The areas, in groups by what one comes for. */
const groups = [
  {
    title: "Watching",
    areas: [
      { path: "/watch", name: "Watch", icon: Activity, features: ["devices", "events"] },
      { path: "/alarms", name: "Alarms", icon: BellRing, features: ["alarms"] },
      { path: "/map", name: "Map", icon: Waypoints, features: ["devices"] },
    ],
  },
  {
    title: "The network",
    areas: [
      { path: "/devices", name: "Devices", icon: ServerCog, features: ["devices"] },
      { path: "/ports", name: "Ports", icon: Cable, features: ["ports"] },
      { path: "/clients", name: "Clients", icon: MonitorSmartphone, features: ["clients"] },
      { path: "/sites", name: "Sites", icon: MapPin, features: ["sites"] },
      { path: "/guests", name: "Guests", icon: DoorOpen, features: ["guests"] },
      { path: "/groups", name: "Groups", icon: Group, features: ["groups"] },
    ],
  },
  {
    title: "Setting up",
    areas: [
      { path: "/vlans", name: "VLANs", icon: Tags, features: ["devices"] },
      { path: "/wireless", name: "Wireless", icon: Wifi, features: ["devices"] },
      { path: "/policies", name: "Policies", icon: Shield, features: ["configuration"] },
      { path: "/between", name: "Between sites", icon: Spline, features: ["devices"] },
      { path: "/templates", name: "Templates", icon: Layers, features: ["templates"] },
      { path: "/drift", name: "Drift", icon: GitCompareArrows, features: ["ports"] },
    ],
  },
  {
    title: "Upkeep",
    areas: [
      { path: "/jobs", name: "Jobs", icon: CalendarClock, features: ["jobs"] },
      { path: "/firmware", name: "Firmware", icon: HardDriveUpload, features: ["firmware"] },
      { path: "/backups", name: "Backups", icon: Archive, features: ["backups"] },
      { path: "/certificates", name: "Certificates", icon: BadgeCheck, features: ["devices"] },
    ],
  },
  {
    title: "The house",
    areas: [{ path: "/people", name: "People", icon: Users, features: ["people", "terminals", "audit"] }],
  },
];

export function Frame({ me, children }: { me: Person; children: ReactNode }) {
  useStream(true);
  const [tray, setTray] = useView("tray");
  const [palette, setPalette] = useState(false);
  const [help, setHelp] = useState(false);
  const scope = useRef<HTMLInputElement>(null);
  useTitle();
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "k") {
        e.preventDefault();
        setPalette((p) => !p);
        return;
      }
      const typing = e.target instanceof HTMLElement && e.target.closest("input, textarea, select, [role=dialog]");
      if (typing || e.ctrlKey || e.metaKey || e.altKey) return;
      if (e.key === "/") {
        e.preventDefault();
        scope.current?.focus();
      } else if (e.key === "?") setHelp(true);
      else if (e.key === "d") setTray(tray ? "" : "open");
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [tray, setTray]);
  return (
    <div className="grid h-full grid-cols-[auto_minmax(0,1fr)_auto] grid-rows-[44px_minmax(0,1fr)_26px]">
      <a href="#main" className="absolute -top-10 left-2 z-50 bg-panel px-2 py-1 focus:top-2">
        Skip to the page
      </a>
      <header className="col-span-3 flex items-center gap-4 border-b border-rule bg-panel px-3">
        <Link to="/watch" className="w-[132px] shrink-0 text-lg text-ink hover:no-underline">
          <WordMark />
        </Link>
        <ScopeLine input={scope} me={me} />
        <Button
          kind="quiet"
          className="ml-auto"
          onClick={() => setPalette(true)}
          title="Go anywhere, do anything (Ctrl-K)"
        >
          <Search size={15} aria-hidden /> <span className="max-md:sr-only">Find and do</span>
          <kbd className="rounded-sm border border-rule px-1 font-mono text-xs max-md:hidden">Ctrl K</kbd>
        </Button>
        <Button kind="quiet" onClick={() => setHelp(true)} aria-label="Keys of this page" title="Keys of this page (?)">
          <CircleHelp size={16} />
        </Button>
      </header>
      <Rail me={me} />
      <main id="main" className="min-w-0 overflow-auto p-3">
        {me.trying && <Trying role={me.role} />}
        {children}
      </main>
      <DraftTray me={me} open={tray !== ""} />
      {!tray && <TrayHandle onOpen={() => setTray("open")} />}
      <LiveLine me={me} />
      <Palette me={me} open={palette} onOpenChange={setPalette} />
      <Keys open={help} onOpenChange={setHelp} />
    </div>
  );
}

function Trying({ role }: { role: string }) {
  return (
    <p role="status" className="mb-3 flex items-center gap-3 rounded border border-accent bg-panel px-3 py-2">
      <Eye size={16} aria-hidden className="text-accent" />
      <span className="grow">
        You see Every Post as somebody with the role <strong>{role}</strong> does. Nothing is done until you stop.
      </span>
      <Button kind="main" onClick={() => tryRole("")}>
        Stop trying
      </Button>
    </p>
  );
}

function Rail({ me }: { me: Person }) {
  const kept = useKept();
  const devices = useList("devices", { where: "health = down", limit: 0 });
  const away = devices.data?.total ?? 0;
  const counts = useAlarmCounts(allowed(me, "see", "alarms")).data;
  const worst = (["critical", "major", "minor", "warning"] as const).find((s) => (counts?.[s] ?? 0) > 0);
  return (
    <nav
      aria-label="Areas"
      className="row-start-2 w-[156px] overflow-y-auto border-r border-rule bg-panel pb-2 max-md:w-12"
    >
      {groups.map(({ title, areas }) => {
        const seen = areas.filter((a) => a.features.some((f) => allowed(me, "see", f)));
        return seen.length === 0 ? null : (
          <section key={title} aria-label={title} className="pt-2">
            <p aria-hidden className="px-3 pb-0.5 text-xs font-medium text-soft max-md:hidden">
              {title}
            </p>
            {seen.map(({ path, name, icon: Icon }) => (
              <NavLink
                key={path}
                to={kept(path)}
                className={({ isActive }) =>
                  clsx(
                    "flex h-8 items-center gap-2.5 border-l-[3px] px-3 hover:bg-ground hover:no-underline",
                    isActive ? "border-accent bg-buff font-semibold text-buff-ink" : "border-transparent text-ink",
                  )
                }
              >
                <Icon size={16} aria-hidden />
                <span className="grow max-md:sr-only">{name}</span>
                {path === "/alarms" && counts && worst && (
                  <span
                    className="inline-flex items-center gap-1 text-xs font-semibold"
                    title={(["critical", "major", "minor", "warning"] as const)
                      .filter((s) => counts[s] > 0)
                      .map((s) => `${counts[s]} ${s}`)
                      .join(", ")}
                  >
                    <Shape state={worst} size={9} /> {counts[worst]}
                    <span className="sr-only">{worst}</span>
                  </span>
                )}
                {path === "/watch" && away > 0 && (
                  <span
                    className="inline-flex items-center gap-1 text-xs font-semibold text-down"
                    title={`${away} devices are down`}
                  >
                    <Shape state="down" size={9} /> {away}
                    <span className="sr-only">devices down</span>
                  </span>
                )}
              </NavLink>
            ))}
          </section>
        );
      })}
    </nav>
  );
}

function TrayHandle({ onOpen }: { onOpen: () => void }) {
  const changes = useChanges();
  const open = changes.data?.items.filter(isOpen) ?? [];
  const trial = open.some((c) => c.state !== "draft" && c.state !== "checked");
  return (
    <aside className="col-start-3 row-start-2 border-l border-rule bg-panel" aria-label="Draft tray">
      <button
        type="button"
        onClick={onOpen}
        title="Open the draft tray (d)"
        className="flex h-full w-10 flex-col items-center gap-2 pt-3 text-soft hover:bg-ground hover:text-ink"
      >
        <PanelRight size={17} aria-hidden />
        <span className="sr-only">Open the draft tray</span>
        {open.length > 0 && (
          <span
            className={clsx(
              "flex h-5 min-w-5 items-center justify-center rounded-full px-1 text-xs font-semibold",
              "bg-accent text-on-accent",
            )}
          >
            {open.length}
            <span className="sr-only">open changes</span>
          </span>
        )}
        {trial && <Shape state="trial" size={14} />}
        <span className="text-xs font-medium [writing-mode:vertical-rl]">Drafts</span>
      </button>
    </aside>
  );
}

function LiveLine({ me }: { me: Person }) {
  const live = useLive();
  const now = useNow();
  const words = {
    live: { state: "well", text: "Live" },
    connecting: { state: "unknown", text: "Connecting" },
    stale: { state: "down", text: `No word from the service for ${span(now - live.since)}: what is shown may be old` },
  }[live.state];
  return (
    <footer className="col-span-3 flex items-center gap-4 border-t border-rule bg-panel px-3 text-xs text-soft">
      <span className="inline-flex items-center gap-1.5" role="status">
        <Shape state={words.state} size={10} /> {words.text}
      </span>
      {live.state === "live" && <Hold />}
      {allowed(me, "see", "jobs") && <RunningJobs />}
      <span className="grow" />
      <Link to="/own" className="text-soft hover:text-ink" title="Your rights, password and tokens">
        {me.full_name} · {me.role}
        {me.only && ` · only where ${me.only}`}
      </Link>
      <span className="font-mono">{me.version}</span>
    </footer>
  );
}

/** The jobs that go on, with how far they are. */
function RunningJobs() {
  const jobs = useJobs();
  const list = (jobs.data?.items ?? []).filter((j) => j.last && !j.last.ended_at).slice(0, 3);
  return list.map((j) => (
    <Link
      key={j.number}
      to={`/jobs?job=${j.number}`}
      className="inline-flex items-center gap-1.5 text-soft hover:text-ink max-md:hidden"
    >
      <Shape state="trial" size={10} /> {j.title}: {farOf(j.last?.counts ?? {})}
    </Link>
  ));
}

/** Holds what is shown still while somebody reads it. */
function Hold() {
  const held = useHeld();
  const now = useNow();
  if (!held)
    return (
      <button
        type="button"
        className="text-soft hover:text-ink"
        onClick={() => hold(true)}
        title="Hold what is shown still"
      >
        hold
      </button>
    );
  return (
    <button type="button" className="font-semibold text-accent" onClick={() => hold(false)}>
      held for {span(now - held.since)}, {many(held.missed, "event")} since: follow again
    </button>
  );
}

const keysOf: [string, string][] = [
  ["/", "go to the scope line"],
  ["Tab, ↓ Enter", "in the scope line: take what is offered"],
  ["Ctrl K", "go anywhere, do anything"],
  ["d", "open or close the draft tray"],
  ["Esc", "close, or let go of what is selected"],
  ["Shift + click", "select ports from one to another on a face or in a table"],
  ["Ctrl + click", "add a port to the selection or take it out"],
  ["↑ ↓, Enter", "in a table: move from row to row, pick one; with Shift a range, with Ctrl one more"],
  ["?", "this list"],
];

function Keys({ open, onOpenChange }: { open: boolean; onOpenChange: (o: boolean) => void }) {
  return (
    <Modal
      open={open}
      onOpenChange={onOpenChange}
      title="Keys"
      description="They work wherever no text is being typed."
    >
      <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1.5">
        {keysOf.map(([k, what]) => (
          <div key={k} className="contents">
            <dt>
              <kbd className="rounded-sm border border-rule bg-ground px-1.5 font-mono text-sm">{k}</kbd>
            </dt>
            <dd>{what}</dd>
          </div>
        ))}
      </dl>
    </Modal>
  );
}
