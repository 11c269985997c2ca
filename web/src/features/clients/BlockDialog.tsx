import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Ban } from "lucide-react";
import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import { api, type Person, take } from "../../api/client";
import { keys } from "../../api/queries";
import { useView } from "../../app/view";
import { Button, Field, inputClass, Modal } from "../../ui/controls";
import { useOwnDraft } from "../settings/queries";

/** Puts into a draft that nothing of a station passes, or that it passes again. */
export function useBlock() {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: ({ mac, ...body }: { mac: string; change?: number; passes?: boolean; until?: string; why?: string }) =>
      take(api.POST("/api/v1/blocked-stations/{mac}", { params: { path: { mac } }, body })),
    onSuccess: () => {
      void qc.invalidateQueries({ queryKey: keys.changes });
      void qc.invalidateQueries({ queryKey: ["reading", "templates"] });
    },
    onError: (e) => toast.error(e.message),
  });
}

/** Puts into a draft that nothing of a station passes, wherever it turns up. */
export function BlockButton({ mac, name, me, done }: { mac: string; name: string; me: Person; done: () => void }) {
  const [open, setOpen] = useState(false);
  const [until, setUntil] = useState("");
  const [why, setWhy] = useState("");
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const block = useBlock();
  const submit = (e: FormEvent) => {
    e.preventDefault();
    e.stopPropagation();
    block.mutate(
      { mac, change: draft, until: until || undefined, why: why.trim() || undefined },
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
        <form onSubmit={submit} className="grid gap-2">
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
            <Button type="submit" kind="main" disabled={block.isPending}>
              Put it into a draft
            </Button>
          </div>
        </form>
      </Modal>
    </>
  );
}
