import { Tabs } from "radix-ui";
import { Suspense } from "react";
import { Link, useParams } from "react-router";
import { allowed, type DeviceDetail, type Person, type Port } from "../../api/client";
import { useConfiguration, useDevice, useDeviceChanges } from "../../api/queries";
import { narrowed, useNarrow } from "../../app/narrow";
import { useKept, useTyped, useView } from "../../app/view";
import { Empty, Failure, FileLink, Panel, ScrollRegion } from "../../ui/controls";
import { changeShape, changeWord, HealthMark, Shape } from "../../ui/health";
import { KindIcon } from "../../ui/kinds";
import { late } from "../../ui/late";
import { Table } from "../../ui/table";
import { Ago } from "../../ui/time";
import { useAlarms } from "../alarms/queries";
import { Day } from "../history/Day";
import { portColumns } from "../ports/columns";
import { PortPanel } from "../ports/PortPanel";
import { usePicked } from "../ports/selection";
import { DeviceSettings } from "../settings/DeviceSettings";
import { DescribeDialog, Service } from "./DescribeDialog";
import { Face } from "./Face";
import { Governance } from "./Governance";
import { insideTabs } from "./Inside";
import { LoginDialog } from "./LoginDialog";
import { PinDialog } from "./PinDialog";

const HistoryTab = late(() => import("../history/HistoryTab"));
const TestsTab = late(() => import("../operations/TestsTab"));
const TerminalTab = late(() => import("./TerminalTab"));

export function DevicePage({ me }: { me: Person }) {
  const { name = "" } = useParams();
  const kept = useKept();
  const device = useDevice(name);
  if (device.isError) {
    return (
      <Panel title={name}>
        <Failure error={device.error} retry={() => void device.refetch()} />
        <p className="px-4 pb-4">
          <Link to={kept("/devices")}>All devices</Link>
        </p>
      </Panel>
    );
  }
  if (!device.data) return <p className="text-soft">Reading {name}…</p>;
  return <Loaded d={device.data} me={me} />;
}

function Loaded({ d, me }: { d: DeviceDetail; me: Person }) {
  const [tab, setTab] = useView("tab", "ports");
  const picked = usePicked(d.face.map((f) => f.port));
  const inside = insideTabs(d, me);
  const ports = new Map(d.port_list.map((p) => [p.port, p]));
  const chosen = [...picked.set].map((p) => ports.get(p)).filter((p): p is Port => p !== undefined);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <header className="flex flex-wrap items-center gap-x-4 gap-y-1">
        <span className="text-soft">
          <KindIcon kind={d.kind} size={24} />
        </span>
        <h1 className="font-mono text-xl font-semibold">{d.name}</h1>
        <span>
          {d.maker} {d.model}
        </span>
        <HealthMark state={d.health} word={d.health === "degraded" ? "degraded" : d.reach} />
        <span className="text-soft">
          since <Ago at={d.since} word="" />
          {d.why && `: ${d.why}`}
        </span>
        <span className="grow" />
        {d.page_address && (
          <a href={d.page_address} target="_blank" rel="noopener noreferrer" className="text-sm">
            Its own page
          </a>
        )}
        <span className="text-soft">
          {d.ports.well} of {d.ports.total} ports up
          {d.power && `, PoE ${watts(d.power.used_mw)} of ${watts(d.power.budget_mw)}`}
        </span>
      </header>
      {d.reach === "retired" && (
        <p className="rounded border border-rule bg-panel px-3 py-2">
          This device is retired: nobody tries to reach it. Under Particulars it can be taken into service again, or
          forgotten.
        </p>
      )}
      {d.reach !== "connected" && d.reach !== "retired" && (
        <div role="alert" className="flex items-center gap-3 rounded border border-down bg-minus px-3 py-2">
          <p className="grow">
            This is the last that is known, from <Ago at={d.seen_at} />. States are shown as unknown until the device is
            back.
          </p>
          {d.reach === "refused" && d.rights.includes("operate devices") && (
            <>
              <LoginDialog d={d} />
              <PinDialog d={d} />
            </>
          )}
        </div>
      )}
      {d.troubles && d.troubles.length > 0 && (
        <ul className="rounded border border-degraded bg-panel px-3 py-2" aria-label="What is wrong">
          {d.troubles.map((t) => (
            <li key={t} className="flex items-center gap-2">
              <Shape state="degraded" size={11} /> {t}
            </li>
          ))}
        </ul>
      )}
      {allowed(me, "see", "alarms") && <DeviceAlarms device={d.name} />}
      <Governance d={d} />
      <Panel>
        {allowed(me, "see", "alarms") && <Day device={d.name} />}
        <Face d={d} picked={picked} />
      </Panel>
      {chosen.length > 0 && <PortPanel ports={chosen} me={me} onClose={picked.clear} />}
      <Tabs.Root value={tab} onValueChange={setTab}>
        <Tabs.List className="flex flex-wrap gap-x-1 border-b border-rule" aria-label="About this device">
          {[
            ["ports", "Ports"],
            ["settings", "Settings"],
            ["history", "History"],
            ...(d.rights.includes("see tests") ? [["tests", "Tests"]] : []),
            ...inside,
            ["particulars", "Particulars"],
            ...(d.rights.includes("see configuration") ? [["configuration", "Configuration"]] : []),
            ["changes", "Changes"],
            ...(d.rights.includes("operate terminals") ? [["terminal", "Terminal"]] : []),
          ].map(([value, word]) => (
            <Tabs.Trigger
              key={value}
              value={value as string}
              className="h-8 shrink-0 whitespace-nowrap border-b-2 border-transparent px-2.5 text-soft hover:text-ink data-[state=active]:border-accent data-[state=active]:font-semibold data-[state=active]:text-ink"
            >
              {word}
            </Tabs.Trigger>
          ))}
        </Tabs.List>
        <Tabs.Content value="ports" className="pt-3">
          <PortTable d={d} picked={picked} />
        </Tabs.Content>
        <Tabs.Content value="settings" className="pt-3">
          <DeviceSettings d={d} me={me} />
        </Tabs.Content>
        <Tabs.Content value="history" className="pt-3">
          <Suspense>
            <HistoryTab d={d} chosen={chosen.map((p) => p.port)} />
          </Suspense>
        </Tabs.Content>
        {d.rights.includes("see tests") && (
          <Tabs.Content value="tests" className="pt-3">
            <Suspense>
              <TestsTab d={d} chosen={chosen} />
            </Suspense>
          </Tabs.Content>
        )}
        {inside.map(([value, , show]) => (
          <Tabs.Content key={value} value={value} className="pt-3">
            {show(d)}
          </Tabs.Content>
        ))}
        <Tabs.Content value="particulars" className="pt-3">
          <Particulars d={d} />
        </Tabs.Content>
        {d.rights.includes("see configuration") && (
          <Tabs.Content value="configuration" className="pt-3">
            <Configuration name={d.name} />
          </Tabs.Content>
        )}
        {d.rights.includes("operate terminals") && (
          <Tabs.Content value="terminal" className="pt-3">
            <Suspense>
              <TerminalTab name={d.name} connected={d.reach === "connected"} />
            </Suspense>
          </Tabs.Content>
        )}
        <Tabs.Content value="changes" className="pt-3">
          <Changes name={d.name} />
        </Tabs.Content>
      </Tabs.Root>
    </div>
  );
}

/** The alarms that stand on the device. */
function DeviceAlarms({ device }: { device: string }) {
  const alarms = useAlarms("", device);
  const list = alarms.data?.items ?? [];
  if (list.length === 0) return null;
  return (
    <ul className="rounded border border-rule bg-panel px-3 py-1.5" aria-label="Alarms">
      {list.map((a) => (
        <li key={a.number} className="flex flex-wrap items-center gap-x-2">
          <HealthMark state={a.severity} word={a.severity} />
          <Link to={`/alarms?alarm=${a.number}`}>alarm {a.number}</Link>
          <span>{a.text}</span>
          <span className="text-sm text-soft">
            <Ago at={a.raised_at} />
            {a.acked_by && `, seen by ${a.acked_by}`}
          </span>
        </li>
      ))}
    </ul>
  );
}

const watts = (mw: number) => `${(mw / 1000).toFixed(1)} W`;

const columns = portColumns(false);

function PortTable({ d, picked }: { d: DeviceDetail; picked: ReturnType<typeof usePicked> }) {
  const [q, setQ] = useTyped("pick");
  const [sort, setSort] = useView("sort", "port");
  const words = q.toLowerCase().split(/\s+/).filter(Boolean);
  const rows = d.port_list.filter((p) => {
    const all =
      `${p.ref} ${p.description} ${p.mode} vlan${p.access_vlan ?? p.native_vlan ?? ""} ${p.health} ${p.mac ?? ""} ${p.peer?.system ?? ""} ${d.kind} ${d.model} ${d.maker} ${d.site}`.toLowerCase();
    return words.every((w) => all.includes(w));
  });
  return (
    <Panel
      title={`${rows.length} of ${d.port_list.length} ports`}
      aside={
        <label className="flex items-center gap-2">
          Find
          <input
            value={q}
            onChange={(e) => setQ(e.target.value)}
            className="h-6 w-44 rounded-sm border border-rule bg-raised px-2 font-mono text-ink"
          />
        </label>
      }
    >
      <Table
        label={`Ports of ${d.name}`}
        columns={columns}
        rows={rows}
        rowKey={(p) => p.port}
        sort={sort}
        onSort={setSort}
        selected={picked.set}
        onRow={(p, e) => picked.pick(p.port, e)}
        className="max-h-[520px]"
        empty={<Empty title="No port here has these words" />}
      />
    </Panel>
  );
}

function Particulars({ d }: { d: DeviceDetail }) {
  const rows: [string, React.ReactNode, boolean?][] = [
    ["Site", d.site],
    [
      "Place",
      [d.building, d.floor && `floor ${d.floor}`, d.rack && `rack ${d.rack}`, d.rack_unit && `unit ${d.rack_unit}`]
        .filter(Boolean)
        .join(", ") || "not told",
    ],
    ["Contact", d.contact || "not told"],
    ["Tags", d.tags?.join(", ") || "none"],
    ...(d.notes ? [["Notes", d.notes] as [string, React.ReactNode]] : []),
    ["Kind", d.kind],
    ["Maker and model", `${d.maker} ${d.model}`],
    ["Serial number", d.serial, true],
    ["Firmware", d.firmware, true],
    [d.calls_home ? "Calls home, last from" : "Address", d.address, true],
    ["Management VLAN", d.management_vlan ? String(d.management_vlan) : "on no VLAN"],
    ["SSH host key, pinned", d.host_key, true],
    ...(d.rights.includes("see configuration")
      ? [
          [
            "For who made it",
            <FileLink
              key="s"
              href={`/api/v1/devices/${d.name}/support`}
              title="All that is known of it as one file, without secrets"
            >
              Support file
            </FileLink>,
          ] as [string, React.ReactNode],
        ]
      : []),
    [
      "Own page",
      d.page_address ? (
        <a key="p" href={d.page_address} target="_blank" rel="noopener noreferrer">
          {d.page_address}
        </a>
      ) : (
        "not told"
      ),
    ],
    ["Booted", <Ago key="b" at={d.booted_at} />],
    ["Last answered", <Ago key="s" at={d.seen_at} />],
    [
      "Enrolled",
      <span key="a">
        <Ago at={d.enrolled_at} /> by {d.enrolled_by}
      </span>,
    ],
    ["Can", d.abilities.join(", ")],
  ];
  return (
    <div className="grid gap-3 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
      <Panel title="Device" aside={d.rights.includes("operate devices") && <DescribeDialog d={d} />}>
        <dl className="grid grid-cols-[170px_minmax(0,1fr)] gap-y-1 px-3 py-2">
          {rows.map(([what, value, mono]) => (
            <div key={what} className="contents">
              <dt className="text-soft">{what}</dt>
              <dd className={mono ? "break-all font-mono text-sm" : ""}>{value}</dd>
            </div>
          ))}
        </dl>
        {d.rights.includes("operate devices") && <Service d={d} />}
      </Panel>
      <Panel title={`${d.vlans.length} VLANs`}>
        <ul className="grid grid-cols-[auto_minmax(0,1fr)] gap-x-4 gap-y-1 px-3 py-2">
          {d.vlans.map((v) => (
            <li key={v.id} className="contents">
              <span className="text-right font-mono text-sm">{v.id}</span>
              <span>{v.name}</span>
            </li>
          ))}
        </ul>
      </Panel>
    </div>
  );
}

/** The sections of a configuration document: the names of what stands one step in. */
const sectionsOf = (lines: string[]) => [...new Set(lines.flatMap((l) => /^ {2}<([\w-]+)[ >]/.exec(l)?.[1] ?? []))];

/** The lines of a section, with their numbers. */
function linesOf(lines: string[], section: string): number[] {
  const all = lines.map((_, i) => i);
  if (!section) return all;
  const from = lines.findIndex((l) => l.startsWith(`  <${section}`));
  const to = lines.findIndex((l, i) => i >= from && l.startsWith(`  </${section}>`));
  return from < 0 ? [] : all.slice(from, to < 0 ? from + 1 : to + 1);
}

function Configuration({ name }: { name: string }) {
  const [defaults, setDefaults] = useView("defaults");
  const [section, setSection] = useView("section");
  const { n, bar } = useNarrow(3);
  const kept = useKept();
  const c = useConfiguration(name, defaults !== "");
  const lines = (c.data ?? "").split("\n");
  const places = linesOf(lines, section);
  const { shown, count } = narrowed(
    places.map((i) => lines[i] ?? ""),
    n,
  );
  return (
    <Panel
      title="What the device runs, in its own form"
      aside={
        <span className="flex items-center gap-4">
          <Link to={kept(`/backups?device=${name}`)} className="text-buff-ink underline">
            What it ran before
          </Link>
          <label className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={defaults !== ""}
              onChange={(e) => setDefaults(e.target.checked ? "1" : "")}
            />
            with defaults
          </label>
          <label className="flex items-center gap-2">
            Section
            <select
              value={section}
              onChange={(e) => setSection(e.target.value)}
              className="h-6 rounded-sm border border-rule bg-raised px-1 text-ink"
            >
              <option value="">all</option>
              {sectionsOf(lines).map((s) => (
                <option key={s}>{s}</option>
              ))}
            </select>
          </label>
        </span>
      }
    >
      {bar(count)}
      {c.isError ? (
        <Failure error={c.error} retry={() => void c.refetch()} />
      ) : c.data && shown.length === 0 ? (
        <Empty title="No line has these words" />
      ) : (
        <ScrollRegion
          label="Configuration"
          className="max-h-[520px] overflow-auto px-3 py-2 font-mono text-sm whitespace-pre leading-[1.5]"
        >
          {shown.map((l) => (
            <div key={l.at} className={l.hit ? "bg-buff text-buff-ink" : l.gap ? "border-t border-rule/60" : ""}>
              <span className="mr-3 inline-block w-8 select-none text-right text-soft">{(places[l.at] ?? 0) + 1}</span>
              {l.line}
            </div>
          ))}
        </ScrollRegion>
      )}
    </Panel>
  );
}

function Changes({ name }: { name: string }) {
  const changes = useDeviceChanges(name);
  const [, setTray] = useView("tray");
  if (changes.isError) return <Failure error={changes.error} retry={() => void changes.refetch()} />;
  return (
    <Panel title="Changes that touched this device">
      {changes.data?.items.length === 0 && <Empty title="None yet">Select a port above to make the first.</Empty>}
      <ul className="divide-y divide-rule/60">
        {changes.data?.items.map((c) => (
          <li key={c.number} className="grid min-h-9 grid-cols-[90px_110px_minmax(0,1fr)_auto] items-center gap-2 px-3">
            <button
              type="button"
              className="text-left text-accent hover:underline"
              onClick={() => setTray(String(c.number))}
            >
              Change {c.number}
            </button>
            <HealthMark state={changeShape(c.state)} word={changeWord(c.state)} />
            <span className="truncate">
              {c.why || c.differences.map((x) => `${x.port} ${x.field} ${x.after}`).join(", ")}
            </span>
            <span className="text-sm text-soft">
              {c.owner}, <Ago at={c.updated_at} />
            </span>
          </li>
        ))}
      </ul>
    </Panel>
  );
}
