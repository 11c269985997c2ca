import { useMutation } from "@tanstack/react-query";
import { Plus } from "lucide-react";
import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import { api, type NetworkVLAN, type Person, take } from "../../api/client";
import { useView } from "../../app/view";
import { Button, Field, inputClass, Modal } from "../../ui/controls";
import { many } from "../../ui/time";
import { useBulk, useOwnDraft } from "../settings/queries";

/** Makes a VLAN on the devices that a selector picks. */
export function MakeDialog({ me, rows }: { me: Person; rows: NetworkVLAN[] }) {
  const [open, setOpen] = useState(false);
  const [id, setID] = useState("");
  const [name, setName] = useState("");
  const [where, setWhere] = useState("kind = switch");
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const bulk = useBulk();
  const make = useMutation({
    mutationFn: async () => {
      const devices = await take(
        api.GET("/api/v1/devices", { params: { query: { where, fields: "name", limit: 10000 } } }),
      );
      if (devices.items.length === 0) throw new Error("No device fits the selector.");
      const set: Record<string, string> = name.trim() ? { present: "on", name } : { present: "on" };
      return bulk.mutateAsync({ change: draft, on: devices.items.map((d) => `${d.name}:vlan/${id.trim()}`), set });
    },
    onSuccess: (a) => {
      const n = a.results.filter((r) => r.outcome === "set").length;
      if (!a.change) {
        toast.error(a.results[0]?.why ?? "All of them have it already.");
        return;
      }
      toast(`${many(n, "device")} in draft ${a.change.number}.`);
      setOpen(false);
      setTray(String(a.change.number));
    },
  });
  const taken = rows.find((v) => String(v.id) === id.trim());
  return (
    <>
      <Button kind="main" onClick={() => setOpen(true)}>
        <Plus size={15} aria-hidden /> Make a VLAN
      </Button>
      <Modal
        open={open}
        onOpenChange={setOpen}
        title="Make a VLAN on devices"
        description="It goes into the draft of every device that the selector picks. No port is put into it yet."
      >
        <form
          className="grid gap-2"
          onSubmit={(e: FormEvent) => {
            e.preventDefault();
            make.mutate();
          }}
        >
          <div className="grid grid-cols-[100px_minmax(0,1fr)] gap-3">
            <Field label="Number" help={taken ? `is there: ${taken.names[0] ?? "no name"}` : "1 to 4094"}>
              {(fid, by) => (
                <input
                  id={fid}
                  aria-describedby={by}
                  inputMode="numeric"
                  className={inputClass}
                  value={id}
                  onChange={(e) => setID(e.target.value)}
                />
              )}
            </Field>
            <Field label="Name" help="What the devices are to call it">
              {(fid, by) => (
                <input
                  id={fid}
                  aria-describedby={by}
                  className={inputClass}
                  value={name}
                  onChange={(e) => setName(e.target.value)}
                />
              )}
            </Field>
          </div>
          <Field label="On" help="A selector of devices: site = tern-haven and kind = switch">
            {(fid, by) => (
              <input
                id={fid}
                aria-describedby={by}
                className={`${inputClass} font-mono`}
                value={where}
                onChange={(e) => setWhere(e.target.value)}
              />
            )}
          </Field>
          {make.isError && (
            <p role="alert" className="text-down">
              {make.error.message}
            </p>
          )}
          <div className="flex justify-end gap-2">
            <Button onClick={() => setOpen(false)}>Cancel</Button>
            <Button type="submit" kind="main" disabled={!id.trim() || !where.trim() || make.isPending}>
              {draft ? `Add to draft ${draft}` : "Put into a new draft"}
            </Button>
          </div>
        </form>
      </Modal>
    </>
  );
}
