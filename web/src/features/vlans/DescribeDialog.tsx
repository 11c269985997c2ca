import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Pencil } from "lucide-react";
import { type FormEvent, useState } from "react";
import { api, type NetworkVLAN, take } from "../../api/client";
import { Button, Field, inputClass, Modal } from "../../ui/controls";

export function DescribeDialog({ v }: { v: NetworkVLAN }) {
  const [open, setOpen] = useState(false);
  const qc = useQueryClient();
  const [body, setBody] = useState({ purpose: "", subnets: "", gateways: "", wanted: "" });
  const save = useMutation({
    mutationFn: () => take(api.PUT("/api/v1/vlans/{vlan}", { params: { path: { vlan: v.id } }, body })),
    onSuccess: () => {
      setOpen(false);
      void qc.invalidateQueries({ queryKey: ["reading"] });
    },
  });
  const fields: [keyof typeof body, string, string][] = [
    ["purpose", "Purpose", "What it is for, in a few words"],
    ["subnets", "Subnets", "Separated by commas: 10.2.40.0/24"],
    ["gateways", "Gateways", "Each in one of the subnets"],
    ["wanted", "Must be on", "A selector of devices: site = tern-haven and kind = switch"],
  ];
  return (
    <>
      <Button
        kind="quiet"
        className="!h-6 text-buff-ink"
        onClick={() => {
          setBody({
            purpose: v.purpose ?? "",
            subnets: v.subnets ?? "",
            gateways: v.gateways ?? "",
            wanted: v.wanted ?? "",
          });
          save.reset();
          setOpen(true);
        }}
      >
        <Pencil size={13} aria-hidden /> Describe
      </Button>
      <Modal
        open={open}
        onOpenChange={setOpen}
        title={`Describe VLAN ${v.id}`}
        description="For people and for checks: no device is told any of this. Its name is set on the devices."
      >
        <form
          className="grid gap-2"
          onSubmit={(e: FormEvent) => {
            e.preventDefault();
            save.mutate();
          }}
        >
          {fields.map(([key, label, help]) => (
            <Field key={key} label={label} help={help}>
              {(id, by) => (
                <input
                  id={id}
                  aria-describedby={by}
                  className={inputClass}
                  value={body[key]}
                  onChange={(e) => setBody({ ...body, [key]: e.target.value })}
                />
              )}
            </Field>
          ))}
          {save.isError && (
            <p role="alert" className="text-down">
              {save.error.message}
            </p>
          )}
          <div className="flex justify-end gap-2">
            <Button onClick={() => setOpen(false)}>Cancel</Button>
            <Button type="submit" kind="main" disabled={save.isPending}>
              Save
            </Button>
          </div>
        </form>
      </Modal>
    </>
  );
}
