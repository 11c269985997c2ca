import { Archive, Pencil } from "lucide-react";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import type { DeviceDetail } from "../../api/client";
import { useList } from "../../api/lists";
import { useDescribe, useForget, useReinstate, useRetire } from "../../api/queries";
import { Button, Field, inputClass, Modal } from "../../ui/controls";
import { many } from "../../ui/time";
import { useRename } from "../arrivals/queries";

/** What people say of a device: where it is, whom to ask, tags, notes. */
export function DescribeDialog({ d }: { d: DeviceDetail }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button kind="quiet" className="h-6" onClick={() => setOpen(true)}>
        <Pencil size={13} aria-hidden /> Edit
      </Button>
      {open && <Form d={d} close={() => setOpen(false)} />}
    </>
  );
}

function Form({ d, close }: { d: DeviceDetail; close: () => void }) {
  const sites = useList("sites", { sort: "site.title" });
  const save = useDescribe();
  const [site, setSite] = useState(d.site);
  const [v, setV] = useState({
    contact: d.contact ?? "",
    building: d.building ?? "",
    floor: d.floor ?? "",
    rack: d.rack ?? "",
    unit: d.rack_unit ? String(d.rack_unit) : "",
    tags: (d.tags ?? []).join(" "),
    page: d.page ?? "",
    notes: d.notes ?? "",
  });
  const input = (key: keyof typeof v, label: string, help?: string) => (
    <Field label={label} help={help}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          value={v[key]}
          maxLength={200}
          onChange={(e) => setV({ ...v, [key]: e.target.value })}
          className={inputClass}
        />
      )}
    </Field>
  );
  return (
    <Modal
      open
      onOpenChange={close}
      wide
      title={`Details of ${d.name}`}
      description="The device does not know this itself, and nothing is sent to it."
    >
      <form
        className="grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate(
            {
              name: d.name,
              body: {
                site,
                contact: v.contact,
                building: v.building,
                floor: v.floor,
                rack: v.rack,
                rack_unit: Number(v.unit) || 0,
                page: v.page,
                tags: v.tags.split(/[\s,]+/).filter(Boolean),
                notes: v.notes,
                position: d.position,
              },
            },
            { onSuccess: close },
          );
        }}
      >
        <div className="grid gap-3 sm:grid-cols-2">
          <Field label="Site">
            {(id, by) => (
              <select
                id={id}
                aria-describedby={by}
                value={site}
                onChange={(e) => setSite(e.target.value)}
                className={inputClass}
              >
                {sites.data?.items.map((s) => (
                  <option key={s.name} value={s.name}>
                    {s.title}
                  </option>
                ))}
              </select>
            )}
          </Field>
          {input("contact", "Contact", "Who to ask about it")}
          {input("building", "Building")}
          {input("floor", "Floor")}
          {input("rack", "Rack")}
          {input("unit", "Rack unit", "The lowest it takes, counted from 1 at the bottom")}
        </div>
        {input("page", "Own page", "Address of the device's own page, where it does not tell it: https://10.20.10.12/")}
        {input("tags", "Tags", "Separated by spaces; small letters, digits and hyphens")}
        <Field label="Notes">
          {(id, by) => (
            <textarea
              id={id}
              aria-describedby={by}
              value={v.notes}
              maxLength={4000}
              rows={3}
              onChange={(e) => setV({ ...v, notes: e.target.value })}
              className={`${inputClass} h-auto py-1`}
            />
          )}
        </Field>
        {save.error && (
          <p role="alert" className="text-down">
            {save.error.message}
          </p>
        )}
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Leave it</Button>
          <Button kind="main" type="submit" disabled={save.isPending}>
            Keep
          </Button>
        </div>
      </form>
    </Modal>
  );
}

/** Takes a device out of service, back into it, or forgets it. */
export function Service({ d }: { d: DeviceDetail }) {
  const [asking, setAsking] = useState<"retire" | "forget" | "rename" | null>(null);
  const rename = useRename();
  const [typed, setTyped] = useState("");
  const retire = useRetire();
  const reinstate = useReinstate();
  const forget = useForget();
  const navigate = useNavigate();
  const error = rename.error ?? retire.error ?? reinstate.error ?? forget.error;
  const close = () => {
    setAsking(null);
    setTyped("");
  };
  return (
    <div className="flex flex-wrap items-center gap-2 border-t border-rule px-3 py-2">
      {d.reach === "retired" ? (
        <>
          <Button disabled={reinstate.isPending} onClick={() => reinstate.mutate(d.name)}>
            Take into service again
          </Button>
          <Button kind="danger" onClick={() => setAsking("forget")}>
            Forget…
          </Button>
        </>
      ) : (
        <>
          <Button onClick={() => setAsking("rename")}>Rename…</Button>
          <Link
            to={`/expected?replaces=${encodeURIComponent(d.name)}`}
            className="inline-flex h-7 items-center rounded-sm border border-rule bg-raised px-2.5 font-medium text-ink hover:border-soft hover:no-underline"
          >
            Replace…
          </Link>
          <Button kind="danger" onClick={() => setAsking("retire")}>
            <Archive size={14} aria-hidden /> Retire…
          </Button>
        </>
      )}
      {error && (
        <p role="alert" className="text-down">
          {error.message}
        </p>
      )}
      <Modal
        open={asking === "rename"}
        onOpenChange={close}
        title={`Rename ${d.name}`}
        description="Here, in lists, histories and the log. The host name that the device itself has stays."
      >
        <form
          className="grid gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            rename.mutate(
              { from: d.name, name: typed },
              { onSuccess: () => navigate(`/devices/${typed}?tab=particulars`), onSettled: close },
            );
          }}
        >
          <Field label="New name" help="Small letters, digits and hyphens">
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                value={typed}
                maxLength={63}
                onChange={(e) => setTyped(e.target.value)}
                className={`${inputClass} font-mono`}
              />
            )}
          </Field>
          <div className="flex justify-end gap-2">
            <Button onClick={close}>Leave it</Button>
            <Button kind="main" type="submit" disabled={!typed || rename.isPending}>
              Rename
            </Button>
          </div>
        </form>
      </Modal>
      <Modal
        open={asking === "retire"}
        onOpenChange={close}
        title={`Retire ${d.name}?`}
        description={`The service ends its session and no longer tries to reach the device. Its ${many(d.ports.total, "port")} leave the lists; its configurations and what happened to it are kept. It can be taken into service again.`}
      >
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Leave it in service</Button>
          <Button kind="danger" onClick={() => retire.mutate(d.name, { onSettled: close })}>
            Retire {d.name}
          </Button>
        </div>
      </Modal>
      <Modal
        open={asking === "forget"}
        onOpenChange={close}
        title={`Forget ${d.name}?`}
        description="Its configurations, ports and clients are removed for good. This cannot be undone: type the name of the device to go on."
      >
        <div className="grid gap-3">
          <Field label="Name of the device">
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                value={typed}
                onChange={(e) => setTyped(e.target.value)}
                className={`${inputClass} font-mono`}
              />
            )}
          </Field>
          <div className="flex justify-end gap-2">
            <Button onClick={close}>Keep it</Button>
            <Button
              kind="danger"
              disabled={typed !== d.name || forget.isPending}
              onClick={() => forget.mutate(d.name, { onSuccess: () => navigate("/devices"), onError: close })}
            >
              Forget {d.name}
            </Button>
          </div>
        </div>
      </Modal>
    </div>
  );
}
