import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import type { Person, TunnelPlanRequest } from "../../api/client";
import { useView } from "../../app/view";
import { Button, Choices, Failure, Field, inputClass, Modal, ScrollRegion } from "../../ui/controls";
import { many } from "../../ui/time";
import { useOwnDraft } from "../settings/queries";
import { usePlanTunnels, useTriedTunnels } from "./queries";

const encryptions = ["aes-gcm-256", "aes-gcm-128", "aes-cbc-256", "chacha20-poly1305"] as const;
const groups = ["19", "20", "31", "14"] as const;

/** Who is to be joined: two edges, or what selectors pick. */
export type ToJoin = { a?: string; b?: string; hubs?: string; spokes?: string };

/** Joins edges by tunnels: two, hubs and spokes, or each with each other. What would be made is shown before it is drafted. */
export function JoinDialog({ me, start, close }: { me: Person; start?: ToJoin; close: () => void }) {
  const [shape, setShape] = useState(start?.hubs ? "hubs" : "two");
  const [v, setV] = useState({ a: "", b: "", name: "", hubs: "", spokes: "", mesh: "", purpose: "", ...start });
  const [encryption, setEncryption] = useState<(typeof encryptions)[number]>("aes-gcm-256");
  const [group, setGroup] = useState<(typeof groups)[number]>("19");
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const plan = usePlanTunnels();
  const said = (s: string) => s.trim() || undefined;
  const terms = { encryption, group, purpose: said(v.purpose) };
  const asked: TunnelPlanRequest =
    shape === "two"
      ? { ...terms, a: said(v.a), b: said(v.b), name: said(v.name) }
      : shape === "hubs"
        ? { ...terms, hubs: said(v.hubs), spokes: said(v.spokes) }
        : { ...terms, mesh: said(v.mesh) };
  const ready = shape === "two" ? asked.a && asked.b : shape === "hubs" ? asked.hubs && asked.spokes : asked.mesh;
  const tried = useTriedTunnels(asked, Boolean(ready));
  const submit = (e: FormEvent) => {
    e.preventDefault();
    plan.mutate(
      { ...asked, change: draft },
      {
        onSuccess: (p) => {
          if (!p.answer?.change) {
            toast.error(p.answer?.results.find((r) => r.why)?.why ?? "All of these tunnels are there already.");
            return;
          }
          close();
          setTray(String(p.answer.change.number));
        },
      },
    );
  };
  const text = (name: keyof typeof v, label: string, help: string) => (
    <Field label={label} help={help}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          className={`${inputClass} font-mono`}
          value={v[name]}
          onChange={(e) => setV({ ...v, [name]: e.target.value })}
        />
      )}
    </Field>
  );
  const fresh = tried.data?.tunnels ?? [];
  return (
    <Modal
      open
      wide
      onOpenChange={close}
      title="Join edges"
      description="Both ends of each tunnel go into one draft, with a new key that nobody sees. It is in force once that is pushed."
    >
      <form onSubmit={submit} className="grid gap-2">
        <Choices
          label="Which"
          value={shape}
          of={[
            ["two", "Two edges"],
            ["hubs", "Hubs and spokes"],
            ["mesh", "Each with each other"],
          ]}
          pick={setShape}
        />
        <div className="grid gap-x-3 gap-y-1 sm:grid-cols-2">
          {shape === "two" && (
            <>
              {text("a", "One edge", "such as th-edge-01:wan1; its first port to a provider without one")}
              {text("b", "The other edge", "such as ol-edge-01:wan1")}
              {text("name", "Name", "of the tunnel; chosen when left out")}
            </>
          )}
          {shape === "hubs" && (
            <>
              {text("hubs", "Hubs", "a selector, such as site = harbour-house")}
              {text("spokes", "Spokes", "a selector, such as site = fulmar")}
            </>
          )}
          {shape === "mesh" && text("mesh", "Edges", "a selector, such as tag = terminal")}
          {text("purpose", "Purpose", "what it is for")}
          <Field label="Encryption">
            {(id) => (
              <select
                id={id}
                className={inputClass}
                value={encryption}
                onChange={(e) => setEncryption(e.target.value as (typeof encryptions)[number])}
              >
                {encryptions.map((x) => (
                  <option key={x}>{x}</option>
                ))}
              </select>
            )}
          </Field>
          <Field label="Key exchange group">
            {(id) => (
              <select
                id={id}
                className={inputClass}
                value={group}
                onChange={(e) => setGroup(e.target.value as (typeof groups)[number])}
              >
                {groups.map((x) => (
                  <option key={x}>{x}</option>
                ))}
              </select>
            )}
          </Field>
        </div>
        <section aria-label="Which tunnels these are" className="min-h-24">
          {ready && tried.isError && <Failure error={tried.error} />}
          {ready && tried.data && !tried.isError && (
            <>
              <p className="mb-1 text-sm">
                {fresh.length > 0 ? `${many(fresh.length, "tunnel")} would be made` : "All of these are there already"}
                {fresh.length > 0 && tried.data.there > 0 ? `; ${tried.data.there} more are there already.` : "."}
              </p>
              {fresh.length > 0 && (
                <ScrollRegion label="Tunnels" className="max-h-48 rounded border border-rule">
                  <ul className="divide-y divide-rule font-mono text-sm">
                    {fresh.map((t) => (
                      <li key={t.name} className="flex flex-wrap gap-x-4 px-2 py-1">
                        <span className="min-w-0 break-all">{t.name}</span>
                        <span className="text-soft">
                          {t.a} – {t.b}
                        </span>
                      </li>
                    ))}
                  </ul>
                </ScrollRegion>
              )}
            </>
          )}
        </section>
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Leave it</Button>
          <Button type="submit" kind="main" disabled={!ready || plan.isPending || tried.isError || fresh.length === 0}>
            Put it into a draft
          </Button>
        </div>
      </form>
    </Modal>
  );
}
