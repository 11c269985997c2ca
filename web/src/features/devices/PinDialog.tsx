import { useState } from "react";
import { toast } from "sonner";
import type { Device } from "../../api/client";
import { usePin, useProbe } from "../../api/queries";
import { Button, Modal } from "../../ui/controls";

/** For a device that does not let the service in: look at the key that it shows, and accept it when it is right. */
export function PinDialog({ d }: { d: Device }) {
  const [open, setOpen] = useState(false);
  const [accepted, setAccepted] = useState(false);
  const probe = useProbe();
  const pin = usePin();
  const shown = probe.data?.host_key;
  const same = shown === d.host_key;
  const start = () => {
    setOpen(true);
    setAccepted(false);
    pin.reset();
    probe.mutate(d.address);
  };
  const error = probe.error ?? pin.error;
  return (
    <>
      <Button onClick={start}>Look at its host key</Button>
      <Modal
        open={open}
        onOpenChange={setOpen}
        title={`Host key of ${d.name}`}
        description="A device that shows another key than the pinned one is not spoken to: it may have been replaced or set up anew, or something stands between."
      >
        <dl className="grid gap-2">
          <div>
            <dt className="text-sm text-soft">Pinned</dt>
            <dd className="break-all font-mono text-sm">{d.host_key}</dd>
          </div>
          <div>
            <dt className="text-sm text-soft">Shown now</dt>
            <dd className="break-all font-mono text-sm font-semibold">
              {shown ?? (probe.isPending ? "asking…" : "–")}
            </dd>
          </div>
        </dl>
        {same && <p className="mt-3">It is the pinned key. The device refuses for another reason: {d.why}.</p>}
        {shown && !same && (
          <label className="mt-3 flex items-start gap-2">
            <input
              type="checkbox"
              className="mt-1 accent-[var(--accent)]"
              checked={accepted}
              onChange={(e) => setAccepted(e.target.checked)}
            />
            <span>I know why the key is another one, and it is the key that the device itself displays.</span>
          </label>
        )}
        {error && (
          <p role="alert" className="mt-3 text-down">
            {error.message}
          </p>
        )}
        <div className="mt-4 flex justify-end gap-2">
          <Button onClick={() => setOpen(false)}>Cancel</Button>
          {shown && !same && (
            <Button
              kind="main"
              disabled={!accepted || pin.isPending}
              onClick={() =>
                pin.mutate(
                  { name: d.name, host_key: shown },
                  {
                    onSuccess: () => {
                      toast.success(`The key of ${d.name} is pinned.`);
                      setOpen(false);
                    },
                  },
                )
              }
            >
              Pin this key
            </Button>
          )}
        </div>
      </Modal>
    </>
  );
}
