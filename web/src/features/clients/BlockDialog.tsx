import { Ban } from "lucide-react";
import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import { api, type Person, take } from "../../api/client";
import { useView } from "../../app/view";
import { Button, Field, inputClass, Modal } from "../../ui/controls";
import { useBulk, useOwnDraft } from "../settings/queries";

/** The template in which stations are blocked, here and by command. */
const template = "template/blocked-stations";

/** What a blocked station is called in a configuration. */
export const blockedObject = (mac: string) => `blocked/${mac.replaceAll(":", "-")}`;

/** Puts into a draft that nothing of a station passes, wherever it turns up. */
export function BlockButton({ mac, name, me, done }: { mac: string; name: string; me: Person; done: () => void }) {
  const [open, setOpen] = useState(false);
  const [until, setUntil] = useState("");
  const [why, setWhy] = useState("");
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const bulk = useBulk();
  const submit = async (e: FormEvent) => {
    e.preventDefault();
    e.stopPropagation();
    const set: Record<string, string> = { present: "on" };
    if (until) set.until = until;
    if (why.trim()) set.purpose = why.trim();
    const rows: { on: string[]; set: Record<string, string> }[] = [{ on: [`${template}:${blockedObject(mac)}`], set }];
    try {
      const known = await take(api.GET("/api/v1/templates", { params: { query: { change: draft } } }));
      if (!known.items.some((t) => t.name === "blocked-stations"))
        rows.unshift({
          on: [`${template}:self`],
          set: { present: "on", title: "Blocked stations", for: "devices", pick: "kind in (switch, access-point)" },
        });
    } catch (problem) {
      toast.error((problem as Error).message);
      return;
    }
    bulk.mutate(
      { change: draft, rows },
      {
        onSuccess: (a) => {
          if (!a.change) {
            toast.error(a.results.find((r) => r.why)?.why ?? "It is blocked already.");
            return;
          }
          setOpen(false);
          done();
          setTray(String(a.change.number));
        },
      },
    );
  };
  return (
    <>
      <Button className="!h-6" onClick={() => setOpen(true)}>
        <Ban size={13} aria-hidden /> Block…
      </Button>
      <Modal
        open={open}
        onOpenChange={setOpen}
        title={`Block ${name}`}
        description="Switches and access points let nothing of it pass, wherever it turns up. It goes into a draft: it is in force once that is pushed."
      >
        <form onSubmit={(e) => void submit(e)} className="grid gap-2">
          <Field label="Until" help="the last day; for good when left out">
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                type="date"
                className={inputClass}
                value={until}
                onChange={(e) => setUntil(e.target.value)}
              />
            )}
          </Field>
          <Field label="Why" help="what others read who wonder">
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                className={inputClass}
                maxLength={64}
                value={why}
                onChange={(e) => setWhy(e.target.value)}
              />
            )}
          </Field>
          <div className="flex justify-end gap-2">
            <Button onClick={() => setOpen(false)}>Leave it</Button>
            <Button type="submit" kind="main" disabled={bulk.isPending}>
              Put it into a draft
            </Button>
          </div>
        </form>
      </Modal>
    </>
  );
}
