import { Link } from "react-router";
import type { Port } from "../../api/client";
import { HealthMark } from "../../ui/health";
import type { Column } from "../../ui/table";
import { Ago } from "../../ui/time";

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
