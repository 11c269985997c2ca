import { Copy } from "lucide-react";
import { type FormEvent, useState } from "react";
import type { BulkResult, DeviceDetail, Person } from "../../api/client";
import { useReading } from "../../api/lists";
import { useView } from "../../app/view";
import { Button, Field, inputClass, Modal } from "../../ui/controls";
import { many } from "../../ui/time";
import { type Part, useCopySettings } from "../layers/queries";
import { useOwnDraft } from "./queries";

const parts: [Part, string, string][] = [
  ["device", "The device itself", "clock, names, logs, spanning tree, management"],
  ["vlans", "VLANs", "with their names"],
  ["ports", "Ports", "onto the ports of the same names"],
  ["lists", "Lists", "schedules, mirrors, access lists and traffic classes"],
  ["sign-in", "Sign-in", "users of the device, SNMP communities, users and receivers"],
];

/** Puts the settings of a device into a draft for others. */
export function CopyDialog({ d, me }: { d: DeviceDetail; me: Person }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button kind="quiet" className="!h-6 text-buff-ink" onClick={() => setOpen(true)}>
        <Copy size={13} aria-hidden /> Copy to others…
      </Button>
      <Modal
        open={open}
        onOpenChange={setOpen}
        title={`Copy the settings of ${d.name}`}
        description="What tells one device or port from another stays: names, descriptions, places, priorities, bundles. It goes into a draft."
      >
        {open && <CopyForm d={d} me={me} done={() => setOpen(false)} />}
      </Modal>
    </>
  );
}

function CopyForm({ d, me, done }: { d: DeviceDetail; me: Person; done: () => void }) {
  const [where, setWhere] = useState(`site = ${d.site} and kind = ${d.kind} and not name = ${d.name}`);
  const [chosen, setChosen] = useState<Part[]>(["device", "vlans", "lists"]);
  const [left, setLeft] = useState<BulkResult[]>([]);
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const reading = useReading(where);
  const copy = useCopySettings();
  const submit = (e: FormEvent) => {
    e.preventDefault();
    copy.mutate(
      { from: d.name, where, parts: chosen, change: draft },
      {
        onSuccess: (a) => {
          const refused = a.results.filter((r) => r.outcome === "refused");
          setLeft(refused);
          if (a.change) setTray(String(a.change.number));
          if (refused.length === 0) done();
        },
      },
    );
  };
  return (
    <form onSubmit={submit} className="grid gap-2">
      <Field
        label="To"
        help={
          reading.data && !reading.data.fault
            ? `A selector: it picks ${many(reading.data.devices, "device")}`
            : "A selector of devices"
        }
        error={reading.data?.fault?.problem}
      >
        {(id, by) => (
          <textarea
            id={id}
            aria-describedby={by}
            rows={2}
            className={`${inputClass} !h-auto font-mono text-sm`}
            value={where}
            onChange={(e) => setWhere(e.target.value)}
          />
        )}
      </Field>
      <fieldset className="grid gap-1">
        <legend className="mb-0.5 text-sm font-medium">What</legend>
        {parts.map(([p, word, text]) => (
          <label key={p} className="flex items-baseline gap-2">
            <input
              type="checkbox"
              checked={chosen.includes(p)}
              onChange={(e) => setChosen(e.target.checked ? [...chosen, p] : chosen.filter((x) => x !== p))}
            />
            {word} <span className="text-sm text-soft">{text}</span>
          </label>
        ))}
      </fieldset>
      {left.length > 0 && (
        <ul role="alert" className="max-h-40 overflow-auto rounded border border-degraded px-2 py-1 text-sm">
          {left.map((r) => (
            <li key={r.on}>
              <span className="font-mono">{r.on}</span> was left out: {r.why}
            </li>
          ))}
        </ul>
      )}
      {copy.data && !copy.data.change && <p className="text-soft">All of them have all of that already.</p>}
      <div className="flex justify-end gap-2">
        <Button onClick={done}>{left.length > 0 ? "Close" : "Cancel"}</Button>
        <Button
          type="submit"
          kind="main"
          disabled={chosen.length === 0 || !where.trim() || !reading.data?.devices || copy.isPending}
        >
          {draft ? `Add to draft ${draft}` : "Put into a new draft"}
        </Button>
      </div>
    </form>
  );
}
