import { X } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { type AirRadio, allowed, type Person, type Refusal, type WirelessNetwork } from "../../api/client";
import { useKept, useScope, useView } from "../../app/view";
import { Button, Choices, Empty, Failure, Panel } from "../../ui/controls";
import { Shape } from "../../ui/health";
import { type Column, Table } from "../../ui/table";
import { Ago, many } from "../../ui/time";
import { rate } from "../ports/columns";
import { SettingsForm } from "../settings/SettingsForm";
import { Blocked } from "./Blocked";
import { CodeDialog } from "./CodeDialog";
import { JoiningDialog } from "./JoiningDialog";
import { Limited } from "./Limited";
import { OfferDialog } from "./OfferDialog";
import { PlanDialog } from "./PlanDialog";
import { useNetworks, useRadios, useRefusals } from "./queries";

/** The wireless networks, the air at the radios, and who does not get in. */
export function WirelessPage({ me }: { me: Person }) {
  const [scope] = useScope();
  const [view, setView] = useView("view");
  const maySeeClients = allowed(me, "see", "clients");
  const refusals = useRefusals(scope, maySeeClients);
  const away = new Set(refusals.data?.items.map((r) => r.mac)).size;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <h1 className="text-lg font-semibold">Wireless</h1>
        <Choices
          label="What is shown"
          value={view}
          of={[
            ["", "Networks"],
            ["radios", "Radios"],
            ...((maySeeClients
              ? [
                  ["refused", away ? `Not let in (${away})` : "Not let in"],
                  ["blocked", "Blocked, limited"],
                ]
              : []) as [string, string][]),
          ]}
          pick={setView}
        />
        <span className="grow" />
        {view === "" && allowed(me, "change", "templates") && <OfferDialog me={me} />}
        {view === "radios" && allowed(me, "change", "ports") && <PlanDialog me={me} scope={scope} />}
      </div>
      {view === "radios" ? (
        <Radios scope={scope} />
      ) : view === "refused" ? (
        <Refused list={refusals.data?.items} error={refusals.error} again={() => void refusals.refetch()} />
      ) : view === "blocked" ? (
        <>
          <Limited scope={scope} me={me} />
          <Blocked scope={scope} me={me} />
        </>
      ) : (
        <Networks scope={scope} me={me} />
      )}
    </div>
  );
}

const words: Record<string, string> = {
  open: "open",
  owe: "open, encrypted (OWE)",
  "wpa2-personal": "passphrase (WPA2)",
  "wpa2-wpa3-personal": "passphrase (WPA2, WPA3)",
  "wpa3-personal": "passphrase (WPA3)",
  "wpa2-enterprise": "RADIUS (WPA2)",
  "wpa3-enterprise": "RADIUS (WPA3)",
};

function Networks({ scope, me }: { scope: string; me: Person }) {
  const list = useNetworks(scope);
  const kept = useKept();
  const [sort, setSort] = useView("sort", "name");
  const [code, setCode] = useState<WirelessNetwork>();
  const [changing, change] = useView("network");
  const columns: Column<WirelessNetwork>[] = [
    {
      key: "name",
      head: "Network",
      sort: (n) => n.name,
      cell: (n) => (
        <button
          type="button"
          className="font-medium text-accent hover:underline"
          onClick={() => change(n.name === changing ? "" : n.name)}
        >
          {n.name}
        </button>
      ),
    },
    { key: "ssid", head: "Name in the air", sort: (n) => n.ssid, cell: (n) => n.ssid },
    { key: "security", head: "Who may join", sort: (n) => n.security, cell: (n) => words[n.security] ?? n.security },
    {
      key: "vlan",
      head: "VLAN",
      mono: true,
      sort: (n) => Number(n.vlans[0] ?? 0),
      cell: (n) => n.vlans.map((v) => v || "own").join(", "),
    },
    { key: "bands", head: "GHz", mono: true, sort: (n) => n.bands.join(), cell: (n) => n.bands.join(" ") || "none" },
    {
      key: "points",
      head: "Points",
      right: true,
      sort: (n) => n.devices.length,
      cell: (n) => (n.offered === n.devices.length ? n.offered : `${n.offered} of ${n.devices.length}`),
    },
    {
      key: "stations",
      head: "Stations",
      right: true,
      sort: (n) => n.stations,
      cell: (n) => <Link to={kept(`/clients?find=${encodeURIComponent(n.ssid)}`)}>{n.stations}</Link>,
    },
    { key: "down", head: "To them", right: true, sort: (n) => n.down_bps, cell: (n) => rate(n.down_bps) },
    { key: "up", head: "From them", right: true, sort: (n) => n.up_bps, cell: (n) => rate(n.up_bps) },
    {
      key: "differs",
      head: "",
      cell: (n) =>
        n.differs.length > 0 ? (
          <span className="inline-flex items-center gap-1.5" title={`Not the same everywhere: ${n.differs.join(", ")}`}>
            <Shape state="degraded" size={10} /> {n.differs.join(", ")} differs
          </span>
        ) : null,
    },
    {
      key: "code",
      head: "",
      right: true,
      cell: (n) =>
        n.security.endsWith("-enterprise") ? null : (
          <Button className="!h-6" onClick={() => setCode(n)}>
            Code…
          </Button>
        ),
    },
  ];
  const picked = list.data?.items.find((n) => n.name === changing);
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  return (
    <>
      <Panel title={list.data ? many(list.data.items.length, "network") : "Networks"}>
        <Table
          label="Wireless networks"
          columns={columns}
          rows={list.data?.items ?? []}
          rowKey={(n) => n.name}
          sort={sort}
          onSort={setSort}
          className="max-h-[calc(100vh-200px)]"
          empty={
            list.data ? (
              <Empty title="No access point here offers a network">
                A network is offered to all access points that a selector picks. The scope may leave them out.
              </Empty>
            ) : null
          }
        />
        {code && <CodeDialog n={code} close={() => setCode(undefined)} />}
      </Panel>
      {picked && (
        <Panel
          title={`${picked.name}, on ${many(picked.devices.length, "access point")}`}
          aside={
            <Button kind="quiet" className="!h-6 px-1 text-buff-ink" aria-label="Close" onClick={() => change("")}>
              <X size={15} aria-hidden />
            </Button>
          }
        >
          <div className="p-3">
            <SettingsForm
              key={picked.name}
              on={picked.devices.map((d) => `${d}:wlan/${picked.name}`)}
              me={me}
              hide={["present"]}
            />
          </div>
        </Panel>
      )}
    </>
  );
}

function Radios({ scope }: { scope: string }) {
  const list = useRadios(scope);
  const kept = useKept();
  const [sort, setSort] = useView("rsort", "-busy");
  const columns: Column<AirRadio>[] = [
    {
      key: "radio",
      head: "Radio",
      mono: true,
      sort: (r) => `${r.device}:${r.port}`,
      cell: (r) => (
        <Link to={kept(`/devices/${encodeURIComponent(r.device)}?sel=${encodeURIComponent(r.port)}`)}>
          {r.device}:{r.port}
        </Link>
      ),
    },
    { key: "site", head: "Site", sort: (r) => r.site, cell: (r) => r.site },
    { key: "band", head: "GHz", right: true, sort: (r) => Number(r.band), cell: (r) => r.band },
    {
      key: "channel",
      head: "Channel",
      right: true,
      sort: (r) => r.channel,
      cell: (r) =>
        r.on ? (
          <span title={r.own_choice ? "It chose it itself" : "It was told so"}>
            {r.channel}
            {r.own_choice && <span className="text-soft"> own</span>}
          </span>
        ) : (
          "off"
        ),
    },
    { key: "width", head: "MHz", right: true, sort: (r) => r.width_mhz, cell: (r) => r.width_mhz },
    { key: "power", head: "dBm", right: true, sort: (r) => r.power_dbm, cell: (r) => r.power_dbm },
    {
      key: "busy",
      head: "Channel busy",
      right: true,
      sort: (r) => r.busy_percent,
      cell: (r) => (
        <span className="inline-flex items-center gap-2">
          {r.busy_percent > 60 && <Shape state="degraded" size={10} />}
          <span className="h-1.5 w-16 overflow-hidden rounded-sm bg-ground" aria-hidden>
            <span className="block h-full bg-soft" style={{ width: `${r.busy_percent}%` }} />
          </span>
          <span className="w-9">{r.busy_percent} %</span>
        </span>
      ),
    },
    { key: "stations", head: "Stations", right: true, sort: (r) => r.stations, cell: (r) => r.stations },
    {
      key: "heard",
      head: "Hears",
      sort: (r) => r.heard.length,
      cell: (r) => (
        <span
          className="text-soft"
          title={r.heard
            .slice(0, 12)
            .map((h) => `${h.ours ?? `${h.ssid} (not ours)`}: channel ${h.channel}, ${h.signal_dbm} dBm`)
            .join("\n")}
        >
          {r.heard.length === 0
            ? "nobody"
            : `${r.heard.length}, loudest ${r.heard[0]?.ours ?? r.heard[0]?.ssid} ${r.heard[0]?.signal_dbm} dBm`}
        </span>
      ),
    },
  ];
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  return (
    <Panel title={list.data ? many(list.data.items.length, "radio") : "Radios"}>
      <Table
        label="Radios"
        columns={columns}
        rows={list.data?.items ?? []}
        rowKey={(r) => `${r.device}:${r.port}`}
        sort={sort}
        onSort={setSort}
        className="max-h-[calc(100vh-200px)]"
        empty={list.data ? <Empty title="There is no access point here">The scope may leave them out.</Empty> : null}
      />
    </Panel>
  );
}

function Refused({ list, error, again }: { list?: Refusal[]; error: Error | null; again: () => void }) {
  const [sort, setSort] = useView("fsort", "-last");
  const [mac, setMAC] = useView("station");
  const columns: Column<Refusal>[] = [
    {
      key: "station",
      head: "Station",
      sort: (r) => r.name ?? r.mac,
      cell: (r) => (
        <button type="button" className="text-accent hover:underline" onClick={() => setMAC(r.mac)}>
          {r.name && <span>{r.name} </span>}
          <span className="font-mono text-sm">{r.mac}</span>
        </button>
      ),
    },
    { key: "ssid", head: "Network", sort: (r) => r.ssid, cell: (r) => r.ssid },
    { key: "at", head: "At", mono: true, sort: (r) => r.device, cell: (r) => `${r.device}:${r.radio}` },
    { key: "dbm", head: "dBm", right: true, sort: (r) => r.signal_dbm, cell: (r) => r.signal_dbm },
    { key: "tries", head: "Tries", right: true, sort: (r) => r.tries, cell: (r) => r.tries },
    { key: "last", head: "Last", right: true, sort: (r) => r.last, cell: (r) => <Ago at={r.last} /> },
    { key: "why", head: "What is in the way", sort: (r) => r.says, cell: (r) => r.says },
  ];
  if (error) return <Failure error={error} retry={again} />;
  return (
    <Panel title={`${many(list?.length ?? 0, "station")} not let in within the last hour`}>
      <Table
        label="Stations that were not let in"
        columns={columns}
        rows={list ?? []}
        rowKey={(r) => `${r.mac} ${r.device} ${r.network}`}
        sort={sort}
        onSort={setSort}
        className="max-h-[calc(100vh-200px)]"
        empty={list ? <Empty title="Everybody who tried got in" /> : null}
      />
      {mac && <JoiningDialog mac={mac} close={() => setMAC("")} />}
    </Panel>
  );
}
