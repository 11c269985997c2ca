import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Gauge } from "lucide-react";
import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import { api, type LimitRequest, type Person, take } from "../../api/client";
import { keys } from "../../api/queries";
import { useView } from "../../app/view";
import { Button, Failure, Field, inputClass, Modal } from "../../ui/controls";
import { useOwnDraft } from "../settings/queries";

/** Puts into a draft that a station may send and receive no more than a rate, or as much as it likes again. */
export function useLimit() {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: ({ mac, ...body }: LimitRequest & { mac: string }) =>
      take(api.POST("/api/v1/limited-stations/{mac}", { params: { path: { mac } }, body })),
    onSuccess: () => {
      void qc.invalidateQueries({ queryKey: keys.changes });
      void qc.invalidateQueries({ queryKey: ["reading", "templates"] });
    },
  });
}

/** Puts into a draft how much a station may send and receive, at whichever access point it is. */
export function LimitButton({ mac, name, me, done }: { mac: string; name: string; me: Person; done: () => void }) {
  const [open, setOpen] = useState(false);
  const [v, setV] = useState({ rate: "", until: "", why: "" });
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const limit = useLimit();
  const submit = (e: FormEvent) => {
    e.preventDefault();
    e.stopPropagation();
    limit.mutate(
      { mac, change: draft, rate: v.rate.trim(), until: v.until || undefined, why: v.why.trim() || undefined },
      {
        onSuccess: (a) => {
          if (!a.change) {
            toast.error(a.results.find((r) => r.why)?.why ?? "It is limited so already.");
            return;
          }
          setOpen(false);
          done();
          setTray(String(a.change.number));
        },
      },
    );
  };
  const text = (name: keyof typeof v, label: string, help: string, type = "text") => (
    <Field label={label} help={help}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          type={type}
          className={inputClass}
          maxLength={64}
          value={v[name]}
          onChange={(e) => setV({ ...v, [name]: e.target.value })}
        />
      )}
    </Field>
  );
  return (
    <>
      <Button className="!h-6" onClick={() => setOpen(true)}>
        <Gauge size={13} aria-hidden /> Limit…
      </Button>
      <Modal
        open={open}
        onOpenChange={setOpen}
        title={`Limit ${name}`}
        description="Access points let it send and receive no more than this, wherever it joins. It goes into a draft: it is in force once that is pushed."
      >
        <form onSubmit={submit} className="grid gap-2">
          {text("rate", "To", "bit/s that it may send, and receive: 2M, 512k")}
          {text("until", "Until", "the last day; for good when left out", "date")}
          {text("why", "Why", "what others read who wonder")}
          {limit.isError && <Failure error={limit.error} />}
          <div className="flex justify-end gap-2">
            <Button onClick={() => setOpen(false)}>Leave it</Button>
            <Button type="submit" kind="main" disabled={v.rate.trim() === "" || limit.isPending}>
              Put it into a draft
            </Button>
          </div>
        </form>
      </Modal>
    </>
  );
}
