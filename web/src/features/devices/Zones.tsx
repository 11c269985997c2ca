import { clsx } from "clsx";
import { useMemo, useState } from "react";
import { toast } from "sonner";
import type { DeviceDetail, Person } from "../../api/client";
import { useChanges } from "../../api/queries";
import { useView } from "../../app/view";
import { Button, Empty, Field, inputClass, Panel, ScrollRegion } from "../../ui/controls";
import { Shape } from "../../ui/health";
import { Ago, many } from "../../ui/time";
import { useBulk, useOwnDraft } from "../settings/queries";

type Zone = { name: string; fabric: string; ports: string[]; active: boolean; purpose: string; drafted: boolean };
type Fabric = { name: string; ports: string[] };

const listed = (value?: string) => (value && value !== "none" ? value.split(",") : []);

/** Fabrics and zones of a storage switch as they are, with what the draft of who edits makes of them. */
function useZoning(d: DeviceDetail, me: Person): { fabrics: Fabric[]; zones: Zone[] } {
  const draft = useOwnDraft(me);
  const edits = useChanges().data?.items.find((c) => c.number === draft)?.edits;
  return useMemo(() => {
    const settings = new Map<string, Record<string, string | undefined>>(
      d.objects.map((o) => [o.name, { ...o.settings }]),
    );
    const drafted = new Set<string>();
    for (const e of edits ?? []) {
      if (!e.port.startsWith(`${d.name}:`)) continue;
      const name = e.port.slice(d.name.length + 1);
      if (!/^(zone|fabric)\//.test(name)) continue;
      drafted.add(name);
      if (e.field === "present" && e.value === "off") settings.delete(name);
      else settings.set(name, { ...settings.get(name), [e.field]: e.value });
    }
    const fabrics: Fabric[] = [];
    const zones: Zone[] = [];
    for (const [name, s] of settings) {
      if (name.startsWith("fabric/")) fabrics.push({ name: name.slice(7), ports: listed(s["fabric-ports"]) });
      if (name.startsWith("zone/"))
        zones.push({
          name: name.slice(5),
          fabric: s.fabric ?? "none",
          ports: listed(s["zone-ports"]),
          active: s.active !== "off",
          purpose: s.purpose ?? "",
          drafted: drafted.has(name),
        });
    }
    return { fabrics, zones };
  }, [d, edits]);
}

/** Who may see whom: a matrix of the ports of a fabric, in which zones are picked, named and put into the draft. */
export function Zones({ d, me }: { d: DeviceDetail; me: Person }) {
  const { fabrics, zones } = useZoning(d, me);
  const [fabric, setFabric] = useView("fabric", fabrics[0]?.name ?? "");
  const [picked, setPicked] = useState<string[]>([]);
  const [zone, setZone] = useState<Zone | null>(null);
  const of = fabrics.find((f) => f.name === fabric) ?? fabrics[0];
  if (!of)
    return (
      <Panel title="Zones">
        <Empty title="The switch has no fabric yet">
          Make one under Settings, Fabrics, and give it ports: hosts and storage see each other within a fabric, as far
          as a zone names both.
        </Empty>
      </Panel>
    );
  const may = d.rights.includes("change devices") && d.control === "here";
  const logins = new Map(d.inside?.logins?.map((l) => [l.port, l]));
  const ports = of.ports.filter((p) => logins.has(p) || zones.some((z) => z.ports.includes(p)) || picked.includes(p));
  const hidden = of.ports.length - ports.length;
  const mine = zones.filter((z) => z.fabric === of.name);
  const shared = (a: string, b: string) => mine.filter((z) => z.active && z.ports.includes(a) && z.ports.includes(b));
  const label = (p: string) => logins.get(p)?.name ?? d.port_list.find((x) => x.port === p)?.description ?? "";
  const toggle = (...which: string[]) => {
    const next = new Set(picked);
    if (which.every((p) => next.has(p))) for (const p of which) next.delete(p);
    else for (const p of which) next.add(p);
    setPicked([...next]);
  };
  return (
    <div className="grid items-start gap-3 lg:grid-cols-[minmax(0,1fr)_280px]">
      <Panel
        title={
          <span className="flex items-center gap-2">
            Who sees whom
            {fabrics.length > 1 && (
              <select
                aria-label="Fabric"
                className="h-6 rounded-sm border border-rule bg-raised px-1 text-ink"
                value={of.name}
                onChange={(e) => setFabric(e.target.value)}
              >
                {fabrics.map((f) => (
                  <option key={f.name}>{f.name}</option>
                ))}
              </select>
            )}
          </span>
        }
        aside={
          <>
            fabric {of.name}
            {hidden > 0 && `, ${many(hidden, "free port")} not drawn`}
          </>
        }
      >
        <ScrollRegion label="Matrix of the ports" className="overflow-auto p-3">
          <table className="border-collapse text-sm">
            <thead>
              <tr>
                <td />
                {ports.map((p) => (
                  <th key={p} scope="col" className="h-[118px] w-8 align-bottom font-normal">
                    <button
                      type="button"
                      aria-pressed={picked.includes(p)}
                      onClick={() => may && toggle(p)}
                      className="whitespace-nowrap py-1 font-mono [writing-mode:vertical-rl] rotate-180 aria-pressed:font-semibold aria-pressed:text-accent"
                    >
                      {p} <span className="font-sans text-soft">{label(p)}</span>
                    </button>
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {ports.map((a) => (
                <tr key={a}>
                  <th scope="row" className="pr-2 text-left font-normal">
                    <button
                      type="button"
                      aria-pressed={picked.includes(a)}
                      onClick={() => may && toggle(a)}
                      className="flex items-baseline gap-2 whitespace-nowrap font-mono aria-pressed:font-semibold aria-pressed:text-accent"
                    >
                      {a} <span className="font-sans text-soft">{label(a)}</span>
                    </button>
                  </th>
                  {ports.map((b) => {
                    const both = a === b ? [] : shared(a, b);
                    const drafted = both.some((z) => z.drafted);
                    const chosen = picked.includes(a) && picked.includes(b);
                    return (
                      <td key={b} className="p-0">
                        <button
                          type="button"
                          disabled={a === b || !may}
                          onClick={() => toggle(a, b)}
                          aria-label={
                            a === b
                              ? a
                              : `${a} and ${b}: ${both.length > 0 ? `see each other by ${both.map((z) => z.name).join(", ")}` : "do not see each other"}`
                          }
                          title={both.map((z) => z.name).join(", ")}
                          className={clsx(
                            "flex h-7 w-8 items-center justify-center border border-rule/70",
                            a === b && "bg-rule/60",
                            chosen && a !== b && "bg-buff outline-2 -outline-offset-2 outline-accent",
                            drafted && "bg-plus",
                          )}
                        >
                          {both.length > 0 && <Shape state="well" size={10} />}
                          {both.length > 1 && <span className="ml-0.5 text-[10px]">{both.length}</span>}
                        </button>
                      </td>
                    );
                  })}
                </tr>
              ))}
            </tbody>
          </table>
          <p className="mt-2 flex items-center gap-3 text-sm text-soft">
            <span className="inline-flex items-center gap-1">
              <Shape state="well" size={10} /> see each other
            </span>
            <span className="inline-flex items-center gap-1">
              <span className="inline-block h-3 w-4 bg-plus" /> by the draft
            </span>
            {d.inside && (
              <span>
                plugged in as told <Ago at={d.inside.observed_at} />
              </span>
            )}
          </p>
        </ScrollRegion>
      </Panel>
      <div className="grid gap-3">
        {may && (
          <ZoneForm
            key={zone?.name ?? "new"}
            d={d}
            me={me}
            fabric={of.name}
            zone={zone}
            ports={picked}
            taken={mine.map((z) => z.name)}
            done={() => {
              setPicked([]);
              setZone(null);
            }}
          />
        )}
        <Panel title={many(mine.length, "zone")} aside="pick one to change it">
          {mine.length === 0 ? (
            <p className="px-3 py-2 text-soft">Nobody sees anybody: pick ports in the matrix and name a zone.</p>
          ) : (
            <ul className="divide-y divide-rule/60">
              {mine.map((z) => (
                <li key={z.name}>
                  <button
                    type="button"
                    aria-current={zone?.name === z.name}
                    onClick={() => {
                      setZone(z);
                      setPicked(z.ports);
                    }}
                    className="block w-full px-3 py-1.5 text-left hover:bg-ground aria-[current=true]:bg-buff"
                  >
                    <span className="flex justify-between gap-2">
                      <span className="font-mono text-sm font-semibold">{z.name}</span>
                      <span className="text-xs text-soft">
                        {z.drafted ? "in the draft" : z.active ? "" : "not active"}
                      </span>
                    </span>
                    <span className="block font-mono text-sm">{z.ports.join(", ") || "no ports"}</span>
                    {z.purpose && <span className="block text-sm text-soft">{z.purpose}</span>}
                  </button>
                </li>
              ))}
            </ul>
          )}
        </Panel>
      </div>
    </div>
  );
}

/** Puts a zone of the picked ports into the draft. */
function ZoneForm({
  d,
  me,
  fabric,
  zone,
  ports,
  taken,
  done,
}: {
  d: DeviceDetail;
  me: Person;
  fabric: string;
  zone: Zone | null;
  ports: string[];
  taken: string[];
  done: () => void;
}) {
  const [name, setName] = useState(zone?.name ?? "");
  const [purpose, setPurpose] = useState(zone?.purpose ?? "");
  const bulk = useBulk();
  const draft = useOwnDraft(me);
  const [, setTray] = useView("tray");
  const send = (set: Record<string, string>) =>
    bulk.mutate(
      { change: draft, on: [`${d.name}:zone/${name.trim()}`], set },
      {
        onSuccess: (a) => {
          const refused = a.results.find((r) => r.outcome === "refused");
          if (refused) toast.error(refused.why ?? "It cannot be.");
          else if (a.change) {
            setTray(String(a.change.number));
            done();
          } else toast("The zone is like that already.");
        },
      },
    );
  const clash = !zone && taken.includes(name.trim());
  return (
    <Panel title={zone ? `Zone ${zone.name}` : "New zone"} aside={many(ports.length, "port")}>
      <form
        className="grid gap-2 p-3"
        onSubmit={(e) => {
          e.preventDefault();
          send({ present: "on", fabric, "zone-ports": ports.join(",") || "none", purpose });
        }}
      >
        <p className="font-mono text-sm">
          {ports.length > 0 ? (
            ports.join(", ")
          ) : (
            <span className="font-sans text-soft">
              Pick ports in the matrix: one in a row and one in a column, or by their names.
            </span>
          )}
        </p>
        {!zone && (
          <Field
            label="Name"
            error={clash ? "there is a zone of that name" : undefined}
            help="small letters, digits, hyphens"
          >
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                className={inputClass}
                value={name}
                onChange={(e) => setName(e.target.value)}
              />
            )}
          </Field>
        )}
        <Field label="Purpose">
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              className={inputClass}
              value={purpose}
              maxLength={64}
              onChange={(e) => setPurpose(e.target.value)}
            />
          )}
        </Field>
        <div className="flex flex-wrap gap-2">
          <Button
            type="submit"
            kind="main"
            disabled={bulk.isPending || name.trim() === "" || clash || ports.length === 0}
          >
            {draft ? `Add to draft ${draft}` : "Put into a new draft"}
          </Button>
          {zone && (
            <>
              <Button onClick={() => send({ active: zone.active ? "off" : "on" })}>
                {zone.active ? "Rest it" : "Put in force"}
              </Button>
              <Button kind="danger" onClick={() => send({ present: "off" })}>
                Remove
              </Button>
            </>
          )}
          {(zone || ports.length > 0) && (
            <Button kind="quiet" onClick={done}>
              Cancel
            </Button>
          )}
        </div>
      </form>
    </Panel>
  );
}
