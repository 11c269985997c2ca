import { X } from "lucide-react";
import { Suspense, useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import type { Person, Port } from "../../api/client";
import { useDevice } from "../../api/queries";
import { useView } from "../../app/view";
import { Button, Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { late } from "../../ui/late";
import { Ago, many } from "../../ui/time";
import { BundleDialog } from "../settings/BundleDialog";
import { useBulk, useOwnDraft } from "../settings/queries";
import { SettingsForm } from "../settings/SettingsForm";
import { poeText, rate, speedText, vlanText } from "./columns";

const FirstAid = late(() => import("../operations/FirstAid").then((m) => ({ default: m.FirstAid })));

/** Particulars of the picked ports, and the form that puts settings for them into a draft. */
export function PortPanel({ ports, me, onClose }: { ports: Port[]; me: Person; onClose: () => void }) {
  const one = ports.length === 1 ? ports[0] : undefined;
  return (
    <Panel
      title={one ? one.ref : `${ports.length} ports: ${ports.map((p) => p.ref).join(", ")}`}
      aside={
        <Button
          kind="quiet"
          className="h-6 px-1 text-buff-ink"
          onClick={onClose}
          aria-label="Let go of the selection (Esc)"
        >
          <X size={15} />
        </Button>
      }
    >
      <div className="grid gap-4 p-3 lg:grid-cols-[220px_minmax(0,1fr)]">
        <div>
          {one ? <OnePort p={one} /> : <ManyPorts ports={ports} me={me} />}
          <Mend ports={ports} me={me} />
        </div>
        {ports.every((p) => p.may_change) ? (
          <SettingsForm on={ports.map((p) => p.ref)} me={me} />
        ) : (
          <p className="text-soft">
            You may look at {ports.length === 1 ? "this port" : "some of these ports"}, not change it: your role is{" "}
            {me.role}.
          </p>
        )}
      </div>
    </Panel>
  );
}

/** First aid: what can be done now at ports. */
function Mend({ ports, me }: { ports: Port[]; me: Person }) {
  const device = ports[0]?.device ?? "";
  const [open, setOpen] = useState(false);
  if (ports.some((p) => p.device !== device))
    return (
      <div className="mt-2 border-t border-rule pt-1.5">
        <Button className="!h-6" onClick={() => setOpen(true)}>
          First aid…
        </Button>
        {open && (
          <Suspense>
            <FirstAid ports={ports} close={() => setOpen(false)} />
          </Suspense>
        )}
      </div>
    );
  const sel = encodeURIComponent(ports.map((p) => p.port).join(","));
  const to = (ask: string) => `/devices/${device}?sel=${sel}&tab=tests&ask=${ask}`;
  return (
    <p className="mt-2 flex flex-wrap gap-x-3 border-t border-rule pt-1.5 text-sm">
      <Link to={to("cable-test")}>Cable test</Link>
      <Link to={to("bounce")}>Bounce</Link>
      {ports.length > 1 && <KeepApart ports={ports} me={me} />}
      {ports.every((p) => p.has_poe) && <Link to={to("power-cycle")}>Cycle power</Link>}
    </p>
  );
}

/** Puts into the draft that picked ports see what is on the other ports, as the uplink, and not each other. */
function KeepApart({ ports, me }: { ports: Port[]; me: Person }) {
  const draft = useOwnDraft(me);
  const bulk = useBulk();
  const [, setTray] = useView("tray");
  const device = useDevice(ports[0]?.device ?? "");
  if (!ports.every((p) => p.may_change && p.mode)) return null;
  const up = ports.find((p) => p.peer?.device);
  const go = () => {
    if (up) {
      toast.error(`${up.port} leads to ${up.peer?.device}: pick only ports at which stations are.`);
      return;
    }
    const names = new Set(ports.map((p) => p.port));
    const taken = new Set(device.data?.port_list.filter((p) => !names.has(p.port)).map((p) => p.isolation));
    let group = 1;
    while (taken.has(String(group))) group++;
    bulk.mutate(
      { change: draft, on: ports.map((p) => p.ref), set: { isolation: String(group) } },
      {
        onSuccess: (a) => {
          if (a.change) setTray(String(a.change.number));
          else toast(a.results.find((r) => r.why)?.why ?? "They are kept apart already.");
        },
      },
    );
  };
  return (
    <button
      type="button"
      className="text-accent hover:underline"
      disabled={!device.data || bulk.isPending}
      title="They see the uplink and whatever else, and not each other: into the draft"
      onClick={go}
    >
      Keep apart
    </button>
  );
}

function OnePort({ p }: { p: Port }) {
  const rows: [string, React.ReactNode][] = [
    ["State", <HealthMark key="h" state={p.health} />],
    ...(p.shut_by ? [["Shut by", p.shut_by.replace("-", " ")] as [string, React.ReactNode]] : []),
    ["Since", <Ago key="a" at={p.changed_at} word="" />],
    ["Speed", speedText(p) || "–"],
    [
      "VLAN",
      <span key="v" className="break-all font-mono text-sm">
        {vlanText(p) || "–"}
      </span>,
    ],
    ...(p.bundle ? [["Bundle", p.bundle] as [string, React.ReactNode]] : []),
    [
      "PoE",
      p.has_poe
        ? [
            poeText(p),
            p.poe_class && `class ${p.poe_class}`,
            p.poe_mv && `${(p.poe_mv / 1000).toFixed(1)} V`,
            p.poe_ma && `${p.poe_ma} mA`,
          ]
            .filter(Boolean)
            .join(", ")
        : "none",
    ],
    ["Receives", p.rates ? rate(p.rates.rx_bps) : "not known"],
    ["Sends", p.rates ? rate(p.rates.tx_bps) : "not known"],
    [
      "Errors",
      `${p.counters.rx_errors + p.counters.tx_errors}${p.rates && p.rates.errors_ps > 0 ? `, ${p.rates.errors_ps.toFixed(1)}/s` : ""}`,
    ],
    [
      "MAC",
      <span key="m" className="font-mono text-sm">
        {p.mac ?? "–"}
      </span>,
    ],
    ...(p.addresses ?? []).map((a): [string, React.ReactNode] => [
      "Address",
      <span key={a} className="font-mono text-sm">
        {a}
      </span>,
    ]),
  ];
  return (
    <div>
      <dl className="grid grid-cols-[70px_minmax(0,1fr)] content-start gap-y-0.5">
        {rows.map(([what, v]) => (
          <div key={what} className="contents">
            <dt className="text-soft">{what}</dt>
            <dd className="truncate">{v}</dd>
          </div>
        ))}
      </dl>
      <Link
        to={`/devices/${p.device}?sel=${encodeURIComponent(p.port)}&tab=history&part=port`}
        className="mt-1 inline-block"
      >
        Over time
      </Link>
      <details className="mt-1">
        <summary className="cursor-pointer text-accent">All counters</summary>
        <Counters p={p} />
      </details>
    </div>
  );
}

const counterNames: [keyof Port["counters"], string][] = [
  ["rx_octets", "octets in"],
  ["tx_octets", "octets out"],
  ["rx_unicast", "unicast in"],
  ["tx_unicast", "unicast out"],
  ["rx_multicast", "multicast in"],
  ["tx_multicast", "multicast out"],
  ["rx_broadcast", "broadcast in"],
  ["tx_broadcast", "broadcast out"],
  ["rx_errors", "errors in"],
  ["rx_fcs_errors", "of these, checksum"],
  ["rx_fragments", "fragments in"],
  ["collisions", "collisions"],
  ["tx_errors", "errors out"],
  ["rx_discards", "discards in"],
  ["tx_discards", "discards out"],
];

/** Every counter since the device booted, and what goes over the port now. */
function Counters({ p }: { p: Port }) {
  return (
    <dl className="grid grid-cols-[minmax(0,1fr)_auto] gap-x-3 text-sm">
      {counterNames.map(([key, name]) => (
        <div key={key} className="contents">
          <dt className="text-soft">{name}</dt>
          <dd className="text-right font-mono">{p.counters[key].toLocaleString("en-GB")}</dd>
        </div>
      ))}
      {p.rates && (
        <>
          <dt className="text-soft">frames/s in, out</dt>
          <dd className="text-right font-mono">
            {p.rates.rx_pps.toFixed(0)}, {p.rates.tx_pps.toFixed(0)}
          </dd>
          <dt className="text-soft">discards/s</dt>
          <dd className="text-right font-mono">{p.rates.discards_ps.toFixed(1)}</dd>
        </>
      )}
    </dl>
  );
}

function ManyPorts({ ports, me }: { ports: Port[]; me: Person }) {
  const devices = new Set(ports.map((p) => p.device)).size;
  const n = (h: string) => ports.filter((p) => p.health === h).length;
  return (
    <ul className="grid content-start gap-0.5">
      {["well", "down", "off", "unknown"]
        .filter((h) => n(h) > 0)
        .map((h) => (
          <li key={h}>
            <HealthMark state={h} word={`${n(h)} ${h}`} />
          </li>
        ))}
      <li className="text-soft">on {many(devices, "device")}</li>
      {devices <= 2 && ports.length <= 16 && ports.every((p) => p.may_change && !p.bundle && p.mode) && (
        <li className="mt-2">
          <BundleDialog ports={ports.map((p) => p.ref)} me={me} />
        </li>
      )}
    </ul>
  );
}

/** Octets in the unit that gives one to three digits before the point (powers of 1000). */
export function octets(n: number): string {
  const units = ["B", "kB", "MB", "GB", "TB", "PB"];
  let i = 0;
  let v = n;
  while (v >= 1000 && i < units.length - 1) {
    v /= 1000;
    i++;
  }
  return `${i === 0 ? v : v.toFixed(1)} ${units[i]}`;
}
