import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, take } from "../../api/client";
import { Button, Failure, Field, inputClass, Modal, TextField } from "../../ui/controls";

/** Takes over a configuration that another system kept of a device, from before it was enrolled. */
export function ImportBackup(props: { device: string; close: () => void; done: (number: number) => void }) {
  const [device, setDevice] = useState(props.device);
  const [taken, setTaken] = useState("");
  const [by, setBy] = useState("");
  const [document, setDocument] = useState("");
  const client = useQueryClient();
  const put = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/v1/devices/{name}/backups/import", {
          params: { path: { name: device.trim() } },
          body: { taken_at: new Date(taken).toISOString(), document, ...(by.trim() && { changed_by: by.trim() }) },
        }),
      ),
    onSuccess: (b) => {
      void client.invalidateQueries({ queryKey: ["backups"] });
      props.done(b.number);
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    put.mutate();
  };
  return (
    <Modal
      open
      onOpenChange={props.close}
      title="Take over a configuration"
      description="One that was kept elsewhere, from before the device was enrolled here. It is listed, searched, compared and restored as all others."
    >
      <form onSubmit={submit} className="grid gap-3">
        <TextField label="Device" help="As it is called here." value={device} set={setDevice} />
        <Field label="When the device had it" help="Before it was enrolled.">
          {(id, of) => (
            <input
              id={id}
              aria-describedby={of}
              type="datetime-local"
              className={inputClass}
              value={taken}
              onChange={(e) => setTaken(e.target.value)}
            />
          )}
        </Field>
        <TextField
          label="Changed by"
          help="Who changed the device to it, where that is known."
          value={by}
          set={setBy}
        />
        <Field label="File" help="In the device's own form, as a backup is downloaded. Its secrets are sealed.">
          {(id, of) => (
            <input
              id={id}
              aria-describedby={of}
              type="file"
              className="block w-full text-sm"
              onChange={(e) => void e.target.files?.[0]?.text().then(setDocument)}
            />
          )}
        </Field>
        {put.error && <Failure error={put.error} />}
        <div className="flex justify-end gap-2">
          <Button onClick={props.close}>Cancel</Button>
          <Button type="submit" kind="main" disabled={!device.trim() || !taken || !document || put.isPending}>
            Take it over
          </Button>
        </div>
      </form>
    </Modal>
  );
}
