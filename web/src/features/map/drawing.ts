import type { Health, Line, NetworkMap, Site } from "../../api/client";

/** A device or a site on the map. */
export type Spot = {
  id: string;
  title: string;
  note: string;
  kind: string; // of a device, or "site"
  health: Health;
  /** The worst alarm there that follows from no other, and how many there are. */
  alarm?: string;
  alarms: number;
  beyond: boolean;
  faint: boolean; // it has nothing to do with the VLAN that is asked for
};

/** What joins two spots: one line of devices, or all that there are between two sites. */
export type Tie = {
  id: string;
  a: string;
  b: string;
  health: Health;
  lines: Line[];
  label: string;
  tunnel: boolean;
  radio: boolean;
  blocked: "a" | "b" | "";
  vlan: Line["vlan"];
  why: string;
  place: number; // among those that join the same two, counted from the middle
};

export type Drawing = { spots: Spot[]; ties: Tie[] };

export const speed = (mbps: number) =>
  mbps === 0 ? "" : mbps >= 1000 ? `${Number((mbps / 1000).toFixed(1))}G` : `${mbps}M`;

export function lineLabel(l: Line): string {
  if (l.kind === "tunnel") return l.up > 0 ? `${l.underlay}, ${Math.round(l.delay_ms ?? 0)} ms` : `${l.underlay}, down`;
  const s = speed(l.speed_mbps ?? 0);
  return l.members > 1 ? `${l.up}/${l.members} · ${s}` : s;
}

/** Sets beside each other what joins the same two spots. */
function spread(ties: Tie[]): Tie[] {
  const pairs = new Map<string, Tie[]>();
  for (const t of ties) {
    const key = [t.a, t.b].sort().join(" ");
    pairs.set(key, [...(pairs.get(key) ?? []), t]);
  }
  for (const list of pairs.values())
    list.forEach((t, i) => {
      t.place = (i - (list.length - 1) / 2) * (t.a < t.b ? 1 : -1);
    });
  return ties;
}

const lineId = (l: Line) => `${l.a.device}:${l.a.name} ${l.b.device}:${l.b.name}`;

/** The devices of a map. */
export function drawDevices(m: NetworkMap, vlan: number): Drawing {
  const spots = m.devices.map((d) => ({
    id: d.name,
    title: d.name,
    note: d.beyond ? d.site : vlan && d.vlan_ports ? `${d.vlan_ports} access ports` : d.model,
    kind: d.kind,
    health: d.health,
    alarm: d.alarm,
    alarms: d.alarms ?? 0,
    beyond: Boolean(d.beyond),
    faint: vlan !== 0 && !d.vlan,
  }));
  const ties = m.lines.map((l) => ({
    id: lineId(l),
    a: l.a.device,
    b: l.b.device,
    health: l.health,
    lines: [l],
    label: lineLabel(l),
    tunnel: l.kind === "tunnel",
    radio: Boolean(l.radio),
    blocked: (l.blocked_at?.startsWith(`${l.a.device}:`) ? "a" : l.blocked_at ? "b" : "") as Tie["blocked"],
    vlan: l.vlan,
    why: l.vlan_why ?? "",
    place: 0,
  }));
  return { spots, ties: spread(ties) };
}

/** The worst first. */
const severities = ["critical", "major", "minor", "warning"];

const count = (s: Site, h: Health) => s.devices[h];

/** The worst that is told by many: all down is down, some is degraded. */
function together(healths: Health[]): Health {
  const all = (h: Health) => healths.every((x) => x === h);
  for (const h of ["well", "down", "unknown", "off"] as const) if (all(h)) return h;
  return healths.some((h) => h === "down" || h === "degraded") ? "degraded" : "well";
}

/** The sites, and what joins them. */
export function drawSites(m: NetworkMap, sites: Site[]): Drawing {
  const siteOf = new Map(m.devices.map((d) => [d.name, d.site]));
  const spots = sites
    .filter((s) => m.devices.some((d) => d.site === s.name))
    .map((s): Spot => {
      const total = s.devices.total;
      const bad = count(s, "down") + count(s, "degraded");
      const there = m.devices.filter((d) => d.site === s.name);
      const worst = severities.find((w) => there.some((d) => d.alarm === w));
      return {
        id: s.name,
        title: s.title,
        note: `${total} device${total === 1 ? "" : "s"}${bad ? `, ${bad} in trouble` : ""}`,
        kind: "site",
        health:
          total > 0 && count(s, "down") === total ? "down" : bad ? "degraded" : count(s, "well") ? "well" : "unknown",
        alarm: worst,
        alarms: there.reduce((sum, d) => sum + (d.alarms ?? 0), 0),
        beyond: false,
        faint: false,
      };
    });
  const joined = new Map<string, Line[]>();
  for (const l of m.lines) {
    const ends = [siteOf.get(l.a.device) ?? "", siteOf.get(l.b.device) ?? ""].sort();
    if (ends[0] !== ends[1]) {
      const key = `${ends.join(" ")} ${l.kind === "tunnel" ? "tunnel" : "cable"}`;
      joined.set(key, [...(joined.get(key) ?? []), l]);
    }
  }
  const ties = [...joined].map(([key, lines]): Tie => {
    const [a = "", b = ""] = key.split(" ");
    const tunnel = lines[0]?.kind === "tunnel";
    const up = lines.filter((l) => l.up > 0).length;
    return {
      id: key,
      a,
      b,
      health: together(lines.map((l) => l.health)),
      lines,
      label: tunnel ? `${up} of ${lines.length} tunnels` : lines.map(lineLabel).join(", "),
      tunnel,
      radio: lines.some((l) => l.radio),
      blocked: "",
      vlan: undefined,
      why: "",
      place: 0,
    };
  });
  return { spots, ties: spread(ties) };
}
