import { Link } from "react-router";
import type { Port } from "../../api/client";
import type { GridColumn } from "../../app/Grid";
import { HealthMark } from "../../ui/health";
import type { Column } from "../../ui/table";
import { Ago } from "../../ui/time";

/** A rate in bit/s, in the unit that suits it. */
export function rate(bps?: number): string {
  if (bps === undefined) return "";
  for (const [unit, by] of [
    ["Gb/s", 1e9],
    ["Mb/s", 1e6],
    ["kb/s", 1e3],
  ] as const)
    if (bps >= by) return `${(bps / by).toFixed(bps >= 100 * by ? 0 : 1)} ${unit}`;
  return `${bps.toFixed(0)} b/s`;
}

export function vlanText(p: Port): string {
  if (p.mode === "access") return String(p.access_vlan ?? "");
  if (p.mode === "trunk")
    return p.native_vlan ? `${p.native_vlan} untagged, ${p.trunk_vlans ?? ""}` : (p.trunk_vlans ?? "");
  return "";
}

export function speedText(p: Port): string {
  const s = p.speed_mbps;
  if (!s) return "";
  return s >= 1000 ? `${s / 1000} Gb/s` : `${s} Mb/s`;
}

export function poeText(p: Port): string {
  if (!p.has_poe) return "";
  if (!p.poe) return "off";
  return p.poe_mw ? `${(p.poe_mw / 1000).toFixed(1)} W` : "on";
}

/** The columns of a table of ports: of one device, or of all. */
export function portColumns(all: boolean): Column<Port>[] {
  return [
    {
      key: "port",
      head: "Port",
      width: all ? "165px" : "84px",
      mono: true,
      sort: (p) => p.ref,
      cell: (p) =>
        all ? (
          <Link to={`/devices/${p.device}?sel=${encodeURIComponent(p.port)}`} onClick={(e) => e.stopPropagation()}>
            {p.ref}
          </Link>
        ) : (
          p.port
        ),
    },
    {
      key: "state",
      head: "State",
      width: "104px",
      sort: (p) => p.health,
      cell: (p) => <HealthMark state={p.health} />,
    },
    {
      key: "description",
      head: "Description",
      sort: (p) => p.description,
      cell: (p) => <span title={p.description}>{p.description}</span>,
    },
    { key: "mode", head: "Mode", width: "74px", sort: (p) => p.mode, cell: (p) => p.mode },
    {
      key: "vlan",
      head: "VLAN",
      width: "190px",
      mono: true,
      sort: (p) => p.access_vlan ?? p.native_vlan ?? 0,
      cell: (p) => <span title={vlanText(p)}>{vlanText(p)}</span>,
    },
    { key: "speed", head: "Speed", width: "80px", right: true, sort: (p) => p.speed_mbps ?? 0, cell: speedText },
    { key: "poe", head: "PoE", width: "70px", right: true, sort: (p) => p.poe_mw ?? (p.poe ? 0 : -1), cell: poeText },
    {
      key: "peer",
      head: "Neighbour",
      width: "150px",
      mono: true,
      sort: (p) => p.peer?.system ?? "~",
      cell: (p) =>
        p.peer &&
        (p.peer.device ? (
          <Link
            to={`/devices/${p.peer.device}?sel=${encodeURIComponent(p.peer.port)}`}
            onClick={(e) => e.stopPropagation()}
          >
            {p.peer.device}:{p.peer.port}
          </Link>
        ) : (
          `${p.peer.system}:${p.peer.port}`
        )),
    },
    {
      key: "since",
      head: "Since",
      width: "74px",
      right: true,
      sort: (p) => p.changed_at,
      cell: (p) => <Ago at={p.changed_at} word="" />,
    },
  ];
}

const peerText = (p: Port) => (p.peer ? `${p.peer.device || p.peer.system}:${p.peer.port}` : "");
const count = (n: number) => n.toLocaleString("en-GB");

/** The columns of the list of all ports. */
export const portGrid: GridColumn<Port>[] = [
  {
    key: "port",
    head: "Port",
    field: "name",
    width: 158,
    mono: true,
    text: (p) => p.ref,
    cell: (p) => (
      <Link to={`/devices/${p.device}?sel=${encodeURIComponent(p.port)}`} onClick={(e) => e.stopPropagation()}>
        {p.ref}
      </Link>
    ),
  },
  {
    key: "state",
    head: "State",
    field: "port.health",
    groups: true,
    width: 92,
    text: (p) => p.health,
    cell: (p) => <HealthMark state={p.health} />,
  },
  { key: "site", head: "Site", field: "site", groups: true, width: 120, extra: true, text: (p) => p.site },
  {
    key: "device",
    head: "Device",
    field: "name",
    groups: true,
    width: 120,
    extra: true,
    mono: true,
    text: (p) => p.device,
  },
  { key: "description", head: "Description", field: "port.description", width: 196, text: (p) => p.description },
  { key: "mode", head: "Mode", field: "port.mode", groups: true, width: 70, text: (p) => p.mode },
  { key: "vlan", head: "VLAN", field: "port.untagged", groups: true, width: 150, mono: true, text: vlanText },
  { key: "speed", head: "Speed", field: "port.mbps", groups: true, width: 80, right: true, text: speedText },
  { key: "poe", head: "PoE", field: "port.poe.watts", width: 66, right: true, text: poeText },
  {
    key: "peer",
    head: "Neighbour",
    field: "port.peer",
    width: 152,
    mono: true,
    text: peerText,
    cell: (p) =>
      p.peer?.device ? (
        <Link
          to={`/devices/${p.peer.device}?sel=${encodeURIComponent(p.peer.port)}`}
          onClick={(e) => e.stopPropagation()}
        >
          {peerText(p)}
        </Link>
      ) : (
        peerText(p)
      ),
  },
  { key: "mac", head: "MAC address", field: "port.mac", width: 140, mono: true, extra: true, text: (p) => p.mac ?? "" },
  {
    key: "rxnow",
    head: "Receives",
    field: "port.rx.mbps",
    width: 92,
    right: true,
    extra: true,
    text: (p) => rate(p.rates?.rx_bps),
  },
  {
    key: "txnow",
    head: "Sends",
    field: "port.tx.mbps",
    width: 92,
    right: true,
    extra: true,
    text: (p) => rate(p.rates?.tx_bps),
  },
  {
    key: "use",
    head: "Use",
    field: "port.use",
    width: 64,
    right: true,
    extra: true,
    text: (p) => (p.rates?.use_percent === undefined ? "" : `${p.rates.use_percent.toFixed(1)} %`),
  },
  {
    key: "rx",
    head: "Octets in",
    field: "port.rx.octets",
    width: 120,
    right: true,
    extra: true,
    text: (p) => count(p.counters.rx_octets),
  },
  {
    key: "tx",
    head: "Octets out",
    field: "port.tx.octets",
    width: 120,
    right: true,
    extra: true,
    text: (p) => count(p.counters.tx_octets),
  },
  {
    key: "errors",
    head: "Errors",
    field: "port.errors",
    width: 80,
    right: true,
    extra: true,
    text: (p) => count(p.counters.rx_errors + p.counters.tx_errors),
  },
  {
    key: "discards",
    head: "Discards",
    field: "port.discards",
    width: 84,
    right: true,
    extra: true,
    text: (p) => count(p.counters.rx_discards + p.counters.tx_discards),
  },
  {
    key: "since",
    head: "Since",
    field: "port.changed",
    width: 74,
    right: true,
    text: (p) => p.changed_at,
    cell: (p) => <Ago at={p.changed_at} word="" />,
  },
];
