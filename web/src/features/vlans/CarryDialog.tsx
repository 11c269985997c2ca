import { useMutation } from "@tanstack/react-query";
import { Route as RouteIcon } from "lucide-react";
import { type FormEvent, useState } from "react";
import { api, type NetworkVLAN, type Person, take } from "../../api/client";
import { useAddEdits } from "../../api/queries";
import { useView } from "../../app/view";
import { Button, Field, inputClass, Modal } from "../../ui/controls";
import { many } from "../../ui/time";
import { useOwnDraft } from "../settings/queries";
import { useDeviceNames } from "./queries";

/** A field for the name of a device, with all names offered. */
function DeviceField({
  label,
  help,
  value,
  set,
}: {
  label: string;
  help: string;
  value: string;
  set: (v: string) => void;
}) {
  const names = useDeviceNames();
  return (
    <Field label={label} help={help}>
      {(id, by) => (
        <>
          <input
            id={id}
            aria-describedby={by}
            list={`${id}-names`}
            className={`${inputClass} font-mono`}
            value={value}
            onChange={(e) => set(e.target.value)}
          />
          <datalist id={`${id}-names`}>
            {names.data?.items.map((d) => (
              <option key={d.name} value={d.name} />
            ))}
          </datalist>
        </>
      )}
    </Field>
  );
}

export function CarryDialog({ v, me }: { v: NetworkVLAN; me: Person }) {
  const [open, setOpen] = useState(false);
  const [from, setFrom] = useState("");
  const [to, setTo] = useState("");
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const add = useAddEdits();
  const ask = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/v1/vlans/{vlan}/carriage", {
          params: { path: { vlan: v.id } },
          body: { from, to, change: draft },
        }),
      ),
  });
  const p = ask.data;
  const change = (f: (s: string) => void) => (s: string) => {
    f(s.trim());
    ask.reset();
  };
  return (
    <>
      <Button onClick={() => setOpen(true)}>
        <RouteIcon size={14} aria-hidden /> Carry it from here to there…
      </Button>
      <Modal
        open={open}
        onOpenChange={setOpen}
        wide
        title={`Carry VLAN ${v.id} from here to there`}
        description="On every trunk of every way between two devices, and on no other port. It is made where it is not known yet."
      >
        <form
          className="grid gap-2"
          onSubmit={(e: FormEvent) => {
            e.preventDefault();
            ask.mutate();
          }}
        >
          <div className="grid grid-cols-2 gap-3">
            <DeviceField label="From" help="A device" value={from} set={change(setFrom)} />
            <DeviceField label="To" help="Another device" value={to} set={change(setTo)} />
          </div>
          {ask.isError && (
            <p role="alert" className="text-down">
              {ask.error.message}
            </p>
          )}
          {p && (
            <div className="rounded border border-rule px-2 py-1.5 text-sm">
              <p>
                {many(p.links.length, "link")} on the ways between them, {many(p.edits.length, "edit")}:
              </p>
              <ul className="mt-1 max-h-40 overflow-auto font-mono">
                {p.edits.map((e) => (
                  <li key={`${e.port} ${e.field}`}>
                    {e.port} {e.field}={e.value}
                  </li>
                ))}
              </ul>
              {p.edits.length === 0 && <p>It is carried on all of them already.</p>}
              {p.notes.map((n) => (
                <p key={n} className="mt-1 text-down">
                  {n}
                </p>
              ))}
            </div>
          )}
          <div className="flex justify-end gap-2">
            <Button onClick={() => setOpen(false)}>Cancel</Button>
            {p && p.edits.length > 0 ? (
              <Button
                kind="main"
                disabled={add.isPending}
                onClick={() =>
                  add.mutate(
                    { draft, edits: p.edits },
                    {
                      onSuccess: (c) => {
                        setOpen(false);
                        setTray(String(c.number));
                      },
                    },
                  )
                }
              >
                {draft ? `Add to draft ${draft}` : "Put into a new draft"}
              </Button>
            ) : (
              <Button type="submit" kind="main" disabled={!from || !to || ask.isPending}>
                Show what it takes
              </Button>
            )}
          </div>
        </form>
      </Modal>
    </>
  );
}
