import { type FormEvent, useState } from "react";
import type { RadioLicence, RadioLinkEnd } from "../../api/client";
import { Button, Failure, Field, inputClass, Modal } from "../../ui/controls";
import { usePutRadioLicence, useRemoveRadioLicence } from "./queries";

/** Says by what right an end of a radio link sends. */
export function LicenceDialog({ end, close }: { end: RadioLinkEnd; close: () => void }) {
  const l = end.licence;
  const [v, setV] = useState({
    number: l?.number ?? "",
    authority: l?.authority ?? "",
    tx: String(l?.tx_mhz ?? end.tx_mhz),
    width: String(l?.width_mhz ?? end.separation_mhz),
    polarization: (l ? l.polarization : end.polarization) ?? "",
    most: String(l?.most_dbm ?? ""),
    ends: l?.ends ?? "",
    notes: l?.notes ?? "",
  });
  const put = usePutRadioLicence();
  const remove = useRemoveRadioLicence();
  const failed = put.error ?? remove.error;
  const said = (text: string) => text.trim() || undefined;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    put.mutate(
      {
        device: end.device,
        number: v.number.trim(),
        authority: said(v.authority),
        tx_mhz: Number(v.tx),
        width_mhz: Number(v.width),
        polarization: said(v.polarization) as RadioLicence["polarization"],
        most_dbm: v.most.trim() === "" ? undefined : Number(v.most),
        ends: said(v.ends),
        notes: said(v.notes),
      },
      { onSuccess: close },
    );
  };
  const text = (name: Exclude<keyof typeof v, "polarization">, label: string, help: string, type = "text") => (
    <Field label={label} help={help}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          type={type}
          step="any"
          className={inputClass}
          value={v[name]}
          onChange={(e) => setV({ ...v, [name]: e.target.value })}
        />
      )}
    </Field>
  );
  return (
    <Modal
      open
      wide
      onOpenChange={close}
      title={`By what licence ${end.device} sends`}
      description="It is kept here; nothing is sent to the device. A change with which it would send otherwise is stopped, and an alarm tells when it does, or when the licence ends."
    >
      <form onSubmit={submit} className="grid gap-x-3 gap-y-1 sm:grid-cols-2">
        {text("number", "Number", "by which the authority knows it")}
        {text("authority", "Authority", "who gave it")}
        {text("tx", "Frequency, MHz", "centre of the channel", "number")}
        {text("width", "Width, MHz", "of the channel: what is sent must be within", "number")}
        <Field label="Polarization">
          {(id) => (
            <select
              id={id}
              className={inputClass}
              value={v.polarization}
              onChange={(e) => setV({ ...v, polarization: e.target.value })}
            >
              <option value="">either</option>
              <option>horizontal</option>
              <option>vertical</option>
            </select>
          )}
        </Field>
        {text("most", "Most power, dBm", "at the transmitter; empty where nothing is said of it", "number")}
        {text("ends", "Ends", "the last day, such as 2027-06-30; empty where it does not end")}
        {text("notes", "Notes", "what else is to be known")}
        {failed && (
          <div className="sm:col-span-2">
            <Failure error={failed} />
          </div>
        )}
        <div className="flex flex-wrap justify-end gap-2 sm:col-span-2">
          {l && (
            <Button onClick={() => remove.mutate(end.device, { onSuccess: close })} disabled={remove.isPending}>
              Forget it
            </Button>
          )}
          <span className="grow" />
          <Button onClick={close}>Leave it</Button>
          <Button type="submit" kind="main" disabled={v.number.trim() === "" || put.isPending}>
            Keep it
          </Button>
        </div>
      </form>
    </Modal>
  );
}
