import { clsx } from "clsx";
import { ArrowLeft, ArrowRight, Check, Plus, X } from "lucide-react";
import { type ReactNode, useEffect, useState } from "react";
import type { Person, SetupRequest } from "../../api/client";
import { useList } from "../../api/lists";
import { useView } from "../../app/view";
import { Button, Empty, Failure, Field, inputClass, Panel, ScrollRegion } from "../../ui/controls";
import { many } from "../../ui/time";
import { Delta } from "../changes/Delta";
import { useOwnDraft, useSettings } from "../settings/queries";
import { useVLANs } from "../vlans/queries";
import { useSetUp, useSetupShown } from "./queries";

/** What was answered so far. It outlives a reload of the page. */
type Answers = {
  devices: string[];
  system: Record<string, string>;
  vlans: { id: string; name: string }[];
  links: boolean;
  root: string;
  ports: { where: string; description: string; vlan: string; more: string }[];
  why: string;
};

const none: Answers = { devices: [], system: {}, vlans: [], links: true, root: "", ports: [], why: "" };

const steps = ["Devices", "System", "VLANs", "Links", "Ports", "Summary"] as const;

const system = [
  "contact",
  "location",
  "time-zone",
  "ntp-servers",
  "dns-servers",
  "syslog-servers",
  "banner",
  "radius-servers",
];

/** The settings of a line of words such as voice-vlan=30 poe-priority=high. */
function words(text: string): Record<string, string> {
  return Object.fromEntries(
    text
      .split(/\s+/)
      .filter((w) => w.includes("="))
      .map((w) => [w.slice(0, w.indexOf("=")), w.slice(w.indexOf("=") + 1)]),
  );
}

function requestOf(a: Answers, change: number | undefined): SetupRequest {
  return {
    devices: a.devices,
    change,
    why: a.why.trim(),
    system: Object.fromEntries(Object.entries(a.system).filter(([, v]) => v.trim() !== "")),
    vlans: a.vlans.flatMap((v) => (/^\d+$/.test(v.id.trim()) ? [{ id: Number(v.id), name: v.name.trim() }] : [])),
    links: a.links && a.vlans.length > 0,
    root: a.root,
    ports: a.ports.flatMap((p): NonNullable<SetupRequest["ports"]> => {
      const set: Record<string, string> = {
        ...(p.description.trim() ? { description: p.description.trim() } : {}),
        ...(p.vlan.trim() ? { vlan: p.vlan.trim() } : {}),
        ...words(p.more),
      };
      if (p.where.trim() === "" || Object.keys(set).length === 0) return [];
      const named = p.where.trim().split(/[\s,]+/);
      return named.every((w) => w.includes(":")) ? [{ on: named, set }] : [{ where: p.where.trim(), set }];
    }),
  };
}

/** The first set-up of a device, or of all of a small site: step by step, and at the end one draft. */
export function SetupPage({ me }: { me: Person }) {
  const [site] = useView("site");
  const [device] = useView("device");
  const key = `everypost.setup.${site}.${device}`;
  const [a, setAnswers] = useState<Answers>(() => {
    try {
      return { ...none, ...JSON.parse(sessionStorage.getItem(key) ?? "{}") };
    } catch {
      return none;
    }
  });
  useEffect(() => sessionStorage.setItem(key, JSON.stringify(a)), [key, a]);
  const [stepText, setStep] = useView("step", "1");
  const step = Math.min(steps.length, Math.max(1, Number(stepText) || 1));
  const list = useList("devices", { where: site ? `site = ${site}` : device ? `name = ${device}` : "", limit: 500 });
  const found = list.data?.items ?? [];
  const begun = a.devices.length > 0;
  // biome-ignore lint/correctness/useExhaustiveDependencies: only when they are read for the first time
  useEffect(() => {
    if (!begun && (site || device) && found.length > 0) change({ devices: found.map((d) => d.name) });
  }, [found.length]);
  const change = (part: Partial<Answers>) => setAnswers((old) => ({ ...old, ...part }));
  const go = (n: number) => setStep(String(n));
  const done = [
    begun,
    Object.values(a.system).some(Boolean),
    a.vlans.length > 0,
    a.links || a.root !== "",
    a.ports.length > 0,
    false,
  ];
  return (
    <div className="grid gap-3">
      <div className="flex items-baseline gap-3">
        <h1 className="text-lg font-semibold">Set up {site || device || "devices"}</h1>
        <span className="text-soft">
          Nothing is sent: at the end it is one draft. What you leave empty stays as it is.
        </span>
      </div>
      <div className="grid items-start gap-3 lg:grid-cols-[190px_minmax(0,1fr)]">
        <nav aria-label="Steps">
          <ol className="overflow-hidden rounded border border-rule bg-panel">
            {steps.map((name, i) => (
              <li key={name} className="border-b border-rule/60 last:border-0">
                <button
                  type="button"
                  aria-current={step === i + 1 ? "step" : undefined}
                  onClick={() => go(i + 1)}
                  className="flex h-9 w-full items-center gap-2 px-3 text-left hover:bg-ground aria-[current=step]:bg-buff aria-[current=step]:font-semibold aria-[current=step]:text-buff-ink"
                >
                  <span className="w-4 font-mono text-sm text-soft">{i + 1}</span>
                  <span className="grow">{name}</span>
                  {done[i] && <Check size={13} aria-label="answered" className="text-soft" />}
                </button>
              </li>
            ))}
          </ol>
        </nav>
        <Panel title={`${step} of ${steps.length}: ${steps[step - 1]}`}>
          <div className="p-3">
            {step === 1 && <Devices a={a} change={change} found={found.map((d) => d)} failed={list.error} />}
            {step === 2 && <System a={a} change={change} />}
            {step === 3 && <VLANs a={a} change={change} />}
            {step === 4 && <Links a={a} change={change} />}
            {step === 5 && <Ports a={a} change={change} site={site} />}
            {step === 6 && (
              <Summary
                a={a}
                change={change}
                me={me}
                made={() => {
                  setAnswers({ ...none });
                  sessionStorage.removeItem(key);
                }}
              />
            )}
          </div>
          <footer className="flex justify-between border-t border-rule px-3 py-2">
            <Button onClick={() => go(step - 1)} disabled={step === 1}>
              <ArrowLeft size={14} aria-hidden /> Back
            </Button>
            {step < steps.length && (
              <Button kind="main" onClick={() => go(step + 1)} disabled={!begun}>
                {steps[step]} <ArrowRight size={14} aria-hidden />
              </Button>
            )}
          </footer>
        </Panel>
      </div>
    </div>
  );
}

type Part = { a: Answers; change: (part: Partial<Answers>) => void };

function Devices({
  a,
  change,
  found,
  failed,
}: Part & { found: { name: string; kind: string; model: string; site: string }[]; failed: Error | null }) {
  if (failed) return <Failure error={failed} />;
  if (found.length === 0)
    return (
      <Empty title="There is no device there yet">Enrol or claim the devices first: then they are set up here.</Empty>
    );
  const all = found.map((d) => d.name);
  const whole = all.every((n) => a.devices.includes(n));
  return (
    <>
      <p className="mb-2 flex items-center gap-3 text-soft">
        {many(a.devices.length, "device")} will be set up.
        <Button onClick={() => change({ devices: whole ? [] : all })}>{whole ? "None" : "All"}</Button>
      </p>
      <ScrollRegion label="Devices" className="max-h-[420px] overflow-auto rounded border border-rule">
        <ul className="divide-y divide-rule/60">
          {found.map((d) => (
            <li key={d.name}>
              <label className="grid h-[30px] grid-cols-[22px_130px_110px_minmax(0,1fr)] items-center px-2.5">
                <input
                  type="checkbox"
                  className="accent-[var(--accent)]"
                  checked={a.devices.includes(d.name)}
                  onChange={(e) =>
                    change({
                      devices: e.target.checked ? [...a.devices, d.name] : a.devices.filter((n) => n !== d.name),
                    })
                  }
                />
                <span className="font-mono text-sm">{d.name}</span>
                <span>{d.kind}</span>
                <span className="text-soft">{d.model}</span>
              </label>
            </li>
          ))}
        </ul>
      </ScrollRegion>
    </>
  );
}

function System({ a, change }: Part) {
  const settings = useSettings();
  const about = (name: string) => settings.data?.items.find((s) => s.name === name && s.on.includes("device"));
  return (
    <div className="grid gap-x-3 gap-y-2 sm:grid-cols-2">
      {system.map((name) => {
        const s = about(name);
        if (!s) return null;
        return (
          <Field key={name} label={s.title} meaning={`${s.name}: ${s.help}`} help={s.help}>
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                className={inputClass}
                placeholder="leave as it is"
                value={a.system[name] ?? ""}
                onChange={(e) => change({ system: { ...a.system, [name]: e.target.value } })}
              />
            )}
          </Field>
        );
      })}
    </div>
  );
}

function Rows({ children, add, word }: { children: ReactNode; add: () => void; word: string }) {
  return (
    <div className="grid gap-1.5">
      {children}
      <div>
        <Button onClick={add}>
          <Plus size={14} aria-hidden /> {word}
        </Button>
      </div>
    </div>
  );
}

function VLANs({ a, change }: Part) {
  const known = useVLANs("");
  const put = (i: number, part: Partial<Answers["vlans"][number]>) =>
    change({ vlans: a.vlans.map((v, n) => (n === i ? { ...v, ...part } : v)) });
  return (
    <>
      <p className="mb-2 text-soft">They are made on every one of the devices that has VLANs, under these names.</p>
      <Rows add={() => change({ vlans: [...a.vlans, { id: "", name: "" }] })} word="A VLAN">
        {a.vlans.map((v, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: rows have no other name
          <div key={i} className="flex items-center gap-2">
            <input
              aria-label="Number"
              className={clsx(inputClass, "!w-24 font-mono")}
              placeholder="20"
              list="known-vlans"
              value={v.id}
              onChange={(e) => {
                const name = known.data?.items.find((k) => String(k.id) === e.target.value)?.names?.[0];
                put(i, { id: e.target.value, ...(name && !v.name ? { name } : {}) });
              }}
            />
            <input
              aria-label="Name"
              className={clsx(inputClass, "!w-64")}
              placeholder="office"
              value={v.name}
              onChange={(e) => put(i, { name: e.target.value })}
            />
            <Button
              kind="quiet"
              aria-label={`Leave out VLAN ${v.id}`}
              onClick={() => change({ vlans: a.vlans.filter((_, n) => n !== i) })}
            >
              <X size={14} />
            </Button>
          </div>
        ))}
      </Rows>
      <datalist id="known-vlans">
        {known.data?.items.map((v) => (
          <option key={v.id} value={v.id}>
            {v.names?.[0]}
          </option>
        ))}
      </datalist>
    </>
  );
}

function Links({ a, change }: Part) {
  return (
    <div className="grid gap-3">
      <label className="flex items-start gap-2">
        <input
          type="checkbox"
          className="mt-1 accent-[var(--accent)]"
          checked={a.links}
          onChange={(e) => change({ links: e.target.checked })}
        />
        <span>
          The links among the devices, and from them to others, carry the VLANs
          <span className="block text-sm text-soft">
            A link between two of them that is no trunk yet becomes one; what it carries untagged stays so. On trunks to
            others the VLANs are added that these know.
          </span>
        </span>
      </label>
      <Field label="Root of spanning tree" help="The switch that all others lead to: the one nearest to the way out">
        {(id, by) => (
          <select
            id={id}
            aria-describedby={by}
            className={clsx(inputClass, "!w-64")}
            value={a.root}
            onChange={(e) => change({ root: e.target.value })}
          >
            <option value="">leave as it is</option>
            {a.devices.map((d) => (
              <option key={d}>{d}</option>
            ))}
          </select>
        )}
      </Field>
    </div>
  );
}

function Ports({ a, change, site }: Part & { site: string }) {
  const put = (i: number, part: Partial<Answers["ports"][number]>) =>
    change({ ports: a.ports.map((p, n) => (n === i ? { ...p, ...part } : p)) });
  const example = a.devices.find((d) => d.includes("-sw-")) ?? a.devices[0] ?? "mp-sw-01";
  return (
    <>
      <p className="mb-2 text-soft">
        Name ports ({example}:1/1/1 {example}:1/1/2) or pick them by a selector (
        {site ? `site = ${site} and port.description ~ "Camera*"` : 'port.description ~ "Camera*"'}). A # in the
        description counts them. Templates that pick by description take them from there.
      </p>
      <Rows
        add={() => change({ ports: [...a.ports, { where: "", description: "", vlan: "", more: "" }] })}
        word="Some ports"
      >
        {a.ports.length > 0 && (
          <div
            aria-hidden
            className="grid grid-cols-[minmax(0,2fr)_minmax(0,1fr)_70px_minmax(0,1fr)_32px] gap-2 text-sm font-medium"
          >
            <span>Ports</span>
            <span>Description</span>
            <span>VLAN</span>
            <span>More settings</span>
          </div>
        )}
        {a.ports.map((p, i) => (
          <div
            // biome-ignore lint/suspicious/noArrayIndexKey: rows have no other name
            key={i}
            className="grid grid-cols-[minmax(0,2fr)_minmax(0,1fr)_70px_minmax(0,1fr)_32px] items-center gap-2"
          >
            <input
              aria-label="Ports"
              className={clsx(inputClass, "font-mono")}
              placeholder={`${example}:1/1/1 ${example}:1/1/2`}
              value={p.where}
              onChange={(e) => put(i, { where: e.target.value })}
            />
            <input
              aria-label="Description"
              className={inputClass}
              placeholder="Camera #"
              value={p.description}
              onChange={(e) => put(i, { description: e.target.value })}
            />
            <input
              aria-label="VLAN"
              className={clsx(inputClass, "font-mono")}
              placeholder="VLAN"
              value={p.vlan}
              onChange={(e) => put(i, { vlan: e.target.value })}
            />
            <input
              aria-label="More settings"
              className={clsx(inputClass, "font-mono")}
              placeholder="enabled=on poe-priority=high"
              value={p.more}
              onChange={(e) => put(i, { more: e.target.value })}
            />
            <Button
              kind="quiet"
              aria-label="Leave these ports out"
              onClick={() => change({ ports: a.ports.filter((_, n) => n !== i) })}
            >
              <X size={14} />
            </Button>
          </div>
        ))}
      </Rows>
    </>
  );
}

function Summary({ a, change, me, made }: Part & { me: Person; made: () => void }) {
  const draft = useOwnDraft(me);
  const request = requestOf(a, draft);
  const shown = useSetupShown({ ...request, why: "" }, a.devices.length > 0);
  const setUp = useSetUp();
  const [, setTray] = useView("tray");
  if (a.devices.length === 0) return <Empty title="No device was chosen">Go back to the first step.</Empty>;
  if (shown.isError) return <Failure error={shown.error} retry={() => void shown.refetch()} />;
  if (!shown.data) return <p className="text-soft">Working out what it comes to…</p>;
  const { differences, notes, results } = shown.data;
  const refused = results.filter((r) => r.outcome === "refused");
  const devices = [...new Set(differences.map((d) => d.port.split(":")[0] ?? ""))];
  return (
    <div className="grid gap-3">
      <p>
        {differences.length === 0
          ? "Everything is already as it says."
          : `${many(differences.length, "setting")} on ${many(devices.length, "device")} will be different.`}
      </p>
      {[...notes, ...refused.map((r) => `${r.on}: ${r.why}`)].length > 0 && (
        <ul className="max-h-32 overflow-auto rounded border border-degraded px-3 py-1.5 text-sm">
          {[...notes, ...refused.map((r) => `${r.on} is left out: ${r.why}`)].map((n) => (
            <li key={n}>{n}</li>
          ))}
        </ul>
      )}
      {differences.length > 0 && (
        <ScrollRegion label="What will be different" className="max-h-[340px] overflow-auto rounded border border-rule">
          <table className="w-full table-fixed border-collapse text-left">
            <tbody>
              {differences.slice(0, 400).map((d) => (
                <tr key={d.port + d.field} className="border-b border-rule/60 align-top last:border-0">
                  <td className="w-44 break-words px-2.5 py-1 font-mono text-sm">{d.port}</td>
                  <td className="w-32 break-words py-1 pr-1 text-sm text-soft">{d.field}</td>
                  <Delta field={d.field} before={d.before} after={d.after} />
                </tr>
              ))}
            </tbody>
          </table>
          {differences.length > 400 && (
            <p className="px-2.5 py-1 text-sm text-soft">and {differences.length - 400} more</p>
          )}
        </ScrollRegion>
      )}
      <div className="flex items-end gap-2">
        <div className="grow">
          <Field label="Why" help="One line for those who come after">
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                className={inputClass}
                maxLength={500}
                value={a.why}
                onChange={(e) => change({ why: e.target.value })}
              />
            )}
          </Field>
        </div>
        <Button
          kind="main"
          className="mb-[18px]"
          disabled={differences.length === 0 || setUp.isPending}
          onClick={() =>
            setUp.mutate(request, {
              onSuccess: (answer) => {
                if (!answer.change) return;
                setTray(String(answer.change.number));
                made();
              },
            })
          }
        >
          {draft ? `Add to draft ${draft}` : "Put into a new draft"}
        </Button>
      </div>
      {setUp.isError && (
        <p role="alert" className="text-down">
          {setUp.error.message}
        </p>
      )}
    </div>
  );
}
