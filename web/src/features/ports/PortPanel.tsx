import { X } from "lucide-react";
import { type FormEvent, useEffect, useState } from "react";
import { Link } from "react-router";
import type { Edit, Person, Port } from "../../api/client";
import { isDraft, useAddEdits, useChanges, usePortFields } from "../../api/queries";
import { useView } from "../../app/view";
import { Button, Field, inputClass, Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { Ago } from "../../ui/time";
import { poeText, rate, speedText, vlanText } from "./columns";

type FieldName = "description" | "enabled" | "mode" | "vlan" | "native-vlan" | "trunk-vlans" | "poe";

/** What a port has now, in the words in which it is set; undefined where it does not apply. */
const current: Record<FieldName, (p: Port) => string | undefined> = {
  description: (p) => p.description,
  enabled: (p) => (p.enabled ? "on" : "off"),
  mode: (p) => p.mode || undefined,
  vlan: (p) => (p.mode === "access" ? String(p.access_vlan ?? "") : undefined),
  "native-vlan": (p) => (p.mode === "trunk" ? String(p.native_vlan ?? "none") : undefined),
  "trunk-vlans": (p) => (p.mode === "trunk" ? p.trunk_vlans || "none" : undefined),
  poe: (p) => (p.has_poe ? (p.poe ? "on" : "off") : undefined),
};

/** How the ports stand on a field: one value, or the mix with its counts. */
function standing(ports: Port[], field: FieldName): { applies: Port[]; text: string; mixed: boolean } {
  const n = new Map<string, number>();
  const applies = ports.filter((p) => {
    const v = current[field](p);
    if (v === undefined) return false;
    n.set(v, (n.get(v) ?? 0) + 1);
    return true;
  });
  const sorted = [...n].sort((a, b) => b[1] - a[1]);
  if (sorted.length <= 1) return { applies, text: sorted[0]?.[0] || "empty", mixed: false };
  const shown = sorted.slice(0, 4).map(([v, c]) => `${v || "empty"} on ${c}`);
  return { applies, text: shown.join(", ") + (sorted.length > 4 ? ", …" : ""), mixed: true };
}

/** Particulars of the picked ports, and the form that puts settings for them into a draft. */
export function PortPanel({
  ports,
  vlans,
  me,
  onClose,
}: {
  ports: Port[];
  vlans: { id: number; name: string }[];
  me: Person;
  onClose: () => void;
}) {
  const [touched, setTouched] = useState<Partial<Record<FieldName, string>>>({});
  const which = ports.map((p) => p.ref).join(",");
  // biome-ignore lint/correctness/useExhaustiveDependencies: another selection begins anew
  useEffect(() => setTouched({}), [which]);
  const changes = useChanges();
  const add = useAddEdits();
  const [, setTray] = useView("tray");
  const draft = changes.data?.items.find((c) => isDraft(c) && c.owner === me.name);
  const mode = touched.mode;
  const entries = Object.entries(touched).filter(([, v]) => v !== undefined) as [FieldName, string][];
  const edits: Edit[] = entries.flatMap(([field, value]) =>
    ports
      .filter((p) => current[field](mode ? { ...p, mode: p.mode && mode } : p) !== undefined)
      .map((p) => ({ port: p.ref, field, value })),
  );
  const submit = (e: FormEvent) => {
    e.preventDefault();
    add.mutate(
      { draft: draft?.number, edits },
      {
        onSuccess: (c) => {
          setTouched({});
          setTray(String(c.number));
        },
      },
    );
  };
  const set = (field: FieldName, value: string | undefined) => setTouched({ ...touched, [field]: value });
  const one = ports.length === 1 ? ports[0] : undefined;
  const props = { ports: mode ? ports.map((p) => ({ ...p, mode: p.mode && mode })) : ports, touched, set };
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
        {one ? <OnePort p={one} /> : <ManyPorts ports={ports} />}
        {ports.every((p) => p.may_change) ? (
          <form onSubmit={submit} className="min-w-0">
            <div className="grid grid-cols-[repeat(auto-fill,minmax(165px,1fr))] gap-x-3 gap-y-2">
              <Choice
                {...props}
                field="vlan"
                label="VLAN (access)"
                options={vlans.map((v) => [String(v.id), `${v.id} ${v.name}`])}
              />
              <Choice {...props} field="poe" label="PoE" options={onOff} />
              <Choice {...props} field="enabled" label="Port" options={onOff} />
              <Choice
                {...props}
                field="mode"
                label="Mode"
                options={[
                  ["access", "access"],
                  ["trunk", "trunk"],
                ]}
              />
              <Choice {...props} field="native-vlan" label="Native VLAN (trunk)" options={[]} />
              <Choice {...props} field="trunk-vlans" label="Tagged VLANs (trunk)" options={[]} />
              <Choice {...props} field="description" label="Description" options={[]} />
            </div>
            {add.isError && (
              <p role="alert" className="mt-2 text-down">
                {add.error.message}
              </p>
            )}
            <div className="mt-2.5 flex items-center gap-3">
              <Button type="submit" kind="main" disabled={edits.length === 0 || add.isPending}>
                {draft ? `Add to draft ${draft.number}` : "Put into a new draft"}
              </Button>
              <span className="text-sm text-soft">
                {edits.length === 0
                  ? "Nothing is sent to a device yet: edits collect in a draft."
                  : `${edits.length} edit${edits.length === 1 ? "" : "s"} on ${new Set(edits.map((x) => x.port)).size} of ${ports.length} ports`}
              </span>
            </div>
          </form>
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

const onOff: [string, string][] = [
  ["on", "on"],
  ["off", "off"],
];

function Choice({
  field,
  label,
  options,
  ports,
  touched,
  set,
}: {
  field: FieldName;
  label: string;
  options: [string, string][];
  ports: Port[];
  touched: Partial<Record<FieldName, string>>;
  set: (field: FieldName, value: string | undefined) => void;
}) {
  const fields = usePortFields();
  const now = standing(ports, field);
  const about = fields.data?.items.find((f) => f.name === field);
  if (now.applies.length === 0) return null;
  const value = touched[field];
  const help = value === undefined ? `${now.mixed ? "mixed: " : "now "}${now.text}` : `was ${now.text}`;
  return (
    <Field
      label={label}
      meaning={about?.help}
      help={
        <span className="block truncate" title={now.text}>
          {help}
        </span>
      }
    >
      {(id, by) =>
        options.length > 0 ? (
          <select
            id={id}
            aria-describedby={by}
            className={`${inputClass} ${value !== undefined ? "!border-accent" : ""}`}
            value={value ?? ""}
            onChange={(e) => set(field, e.target.value || undefined)}
          >
            <option value="">keep as it is</option>
            {options.map(([v, word]) => (
              <option key={v} value={v}>
                {word}
              </option>
            ))}
          </select>
        ) : (
          <input
            id={id}
            aria-describedby={by}
            className={`${inputClass} ${value !== undefined ? "!border-accent" : ""}`}
            placeholder="keep as it is"
            title={about?.form}
            value={value ?? ""}
            onChange={(e) => set(field, e.target.value === "" && field !== "description" ? undefined : e.target.value)}
            onKeyDown={(e) => e.key === "Escape" && set(field, undefined)}
          />
        )
      }
    </Field>
  );
}

function OnePort({ p }: { p: Port }) {
  const rows: [string, React.ReactNode][] = [
    ["State", <HealthMark key="h" state={p.health} />],
    ["Since", <Ago key="a" at={p.changed_at} word="" />],
    ["Speed", speedText(p) || "–"],
    [
      "VLAN",
      <span key="v" className="break-all font-mono text-sm">
        {vlanText(p) || "–"}
      </span>,
    ],
    ["PoE", p.has_poe ? `${poeText(p)}${p.poe_class ? `, class ${p.poe_class}` : ""}` : "none"],
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

function ManyPorts({ ports }: { ports: Port[] }) {
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
      <li className="text-soft">on {new Set(ports.map((p) => p.device)).size} devices</li>
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
