import { type FormEvent, useState } from "react";
import type { Circuit } from "../../api/client";
import { Button, Field, inputClass, Modal } from "../../ui/controls";
import { usePutCircuit, useRemoveCircuit } from "./queries";

const kinds = ["fibre", "copper", "cable", "cellular", "satellite", "radio", "other"] as const;

/** Says what the circuit at a port is. */
export function CircuitDialog({ circuit, close }: { circuit?: Circuit; close: () => void }) {
  const [v, setV] = useState({
    at: circuit ? `${circuit.device}:${circuit.port}` : "",
    provider: circuit?.provider ?? "",
    kind: circuit?.kind ?? "fibre",
    contract: circuit?.contract ?? "",
    down: String(circuit?.down_mbps ?? ""),
    up: String(circuit?.up_mbps ?? ""),
    cap: String(circuit?.cap_gb ?? ""),
    notes: circuit?.notes ?? "",
    handed: circuit?.handed_at ?? "",
  });
  const put = usePutCircuit();
  const remove = useRemoveCircuit();
  const split = v.at.indexOf(":");
  const at = { device: v.at.slice(0, Math.max(split, 0)).trim(), port: v.at.slice(split + 1).trim() };
  const ready = split > 0 && at.port !== "" && v.provider.trim() !== "";
  const submit = (e: FormEvent) => {
    e.preventDefault();
    put.mutate(
      {
        ...at,
        provider: v.provider,
        kind: v.kind,
        contract: v.contract,
        notes: v.notes,
        handed_at: v.handed.trim() || undefined,
        down_mbps: Number(v.down) || 0,
        up_mbps: Number(v.up) || 0,
        cap_gb: Number(v.cap) || 0,
      },
      { onSuccess: close },
    );
  };
  const text = (
    name: Exclude<keyof typeof v, "kind">,
    label: string,
    help: string,
    more?: { number?: boolean; mono?: boolean; fixed?: boolean },
  ) => (
    <Field label={label} help={help}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          type={more?.number ? "number" : "text"}
          min={0}
          step="any"
          disabled={more?.fixed}
          className={more?.mono ? `${inputClass} font-mono` : inputClass}
          value={v[name]}
          onChange={(e) => setV({ ...v, [name]: e.target.value })}
        />
      )}
    </Field>
  );
  return (
    <Modal
      open
      onOpenChange={close}
      title={circuit ? `The circuit at ${v.at}` : "Say what a circuit is"}
      description="A line of a provider that leads out of a site. It is kept here; nothing is sent to the device."
    >
      <form onSubmit={submit} className="grid gap-x-3 gap-y-1 sm:grid-cols-2">
        {text("at", "At", "the port, such as th-edge-01:wan2", { mono: true, fixed: circuit !== undefined })}
        {text("provider", "Provider", "whose it is")}
        <Field label="Kind">
          {(id) => (
            <select
              id={id}
              className={inputClass}
              value={v.kind}
              onChange={(e) => setV({ ...v, kind: e.target.value as (typeof kinds)[number] })}
            >
              {kinds.map((k) => (
                <option key={k}>{k}</option>
              ))}
            </select>
          )}
        </Field>
        {text("contract", "Contract", "by which the provider knows it")}
        {text("down", "Down, Mbit/s", "as ordered", { number: true })}
        {text("up", "Up, Mbit/s", "as ordered", { number: true })}
        {text("cap", "Cap, GB a month", "of both ways; none when left out", { number: true })}
        {text("handed", "Handed over at", "a port elsewhere, such as th-sw-01:2/1/47; at the edge when left out", {
          mono: true,
        })}
        {text("notes", "Notes", "what else is to be known")}
        <div className="flex justify-end gap-2 sm:col-span-2">
          {circuit && (
            <Button disabled={remove.isPending} onClick={() => remove.mutate(at, { onSuccess: close })}>
              Forget it
            </Button>
          )}
          <Button onClick={close}>Leave it</Button>
          <Button type="submit" kind="main" disabled={!ready || put.isPending}>
            Keep it
          </Button>
        </div>
      </form>
    </Modal>
  );
}
