import { type FormEvent, useState } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { useList } from "../../api/lists";
import { useEnrol, useProbe } from "../../api/queries";
import { Button, Field, inputClass, Modal } from "../../ui/controls";

/** Enrolling goes in two steps: look at the host key that the device shows, then accept it and log in. */
export function EnrolDialog({ open, onOpenChange }: { open: boolean; onOpenChange: (o: boolean) => void }) {
  const [form, setForm] = useState({
    address: "",
    user: "",
    password: "",
    site: new URLSearchParams(window.location.search).get("site") ?? "",
    name: "",
  });
  const [accepted, setAccepted] = useState(false);
  const probe = useProbe();
  const enrol = useEnrol();
  const sites = useList("sites", {});
  const navigate = useNavigate();
  const site = form.site || sites.data?.items[0]?.name || "";
  const set = (k: keyof typeof form) => (e: { target: { value: string } }) => {
    setForm({ ...form, [k]: e.target.value });
    if (k === "address") {
      probe.reset();
      setAccepted(false);
    }
  };
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (!probe.data) {
      probe.mutate(form.address.trim());
      return;
    }
    enrol.mutate(
      {
        address: probe.data.address,
        user: form.user,
        password: form.password,
        host_key: probe.data.host_key,
        site,
        name: form.name.trim() || undefined,
      },
      {
        onSuccess: (d) => {
          toast.success(`${d.name} is enrolled: ${d.maker} ${d.model}, serial ${d.serial}.`);
          setForm({ ...form, address: "", name: "" });
          probe.reset();
          setAccepted(false);
          navigate(`/devices/${d.name}`);
        },
      },
    );
  };
  const error = probe.error ?? enrol.error;
  return (
    <Modal
      open={open}
      onOpenChange={onOpenChange}
      title="Enrol a device"
      description="The service logs in over SSH, asks the device who it is, and watches it from then on. Nothing on it is changed."
    >
      <form onSubmit={submit} className="grid gap-3">
        <Field label="Address" help="A name or address; a port after a colon if it is not 830">
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              required
              className={`${inputClass} font-mono`}
              value={form.address}
              onChange={set("address")}
            />
          )}
        </Field>
        {probe.data && (
          <>
            <div className="rounded border border-rule bg-ground p-2.5">
              <p className="text-sm">The device shows this host key:</p>
              <p className="my-1 break-all font-mono text-sm font-semibold">{probe.data.host_key}</p>
              <label className="flex items-start gap-2">
                <input
                  type="checkbox"
                  className="mt-1 accent-[var(--accent)]"
                  checked={accepted}
                  onChange={(e) => setAccepted(e.target.checked)}
                />
                <span>
                  It is the key that the device itself displays. Pin it: a device that shows another one is not spoken
                  to.
                </span>
              </label>
            </div>
            <div className="grid grid-cols-2 gap-3">
              <Field label="User name on the device">
                {(id) => (
                  <input
                    id={id}
                    required
                    className={inputClass}
                    autoComplete="off"
                    value={form.user}
                    onChange={set("user")}
                  />
                )}
              </Field>
              <Field label="Password" help="Kept encrypted, and never shown again">
                {(id, by) => (
                  <input
                    id={id}
                    aria-describedby={by}
                    type="password"
                    required
                    className={inputClass}
                    autoComplete="new-password"
                    value={form.password}
                    onChange={set("password")}
                  />
                )}
              </Field>
              <Field label="Site">
                {(id) => (
                  <select id={id} required className={inputClass} value={site} onChange={set("site")}>
                    {sites.data?.items.map((s) => (
                      <option key={s.name} value={s.name}>
                        {s.title}
                      </option>
                    ))}
                  </select>
                )}
              </Field>
              <Field label="Name" help="Its own host name when left empty">
                {(id, by) => (
                  <input
                    id={id}
                    aria-describedby={by}
                    className={inputClass}
                    value={form.name}
                    onChange={set("name")}
                  />
                )}
              </Field>
            </div>
          </>
        )}
        {error && (
          <p role="alert" className="text-down">
            {error.message}
          </p>
        )}
        <div className="flex justify-end gap-2">
          <Button onClick={() => onOpenChange(false)}>Cancel</Button>
          <Button type="submit" kind="main" disabled={probe.isPending || enrol.isPending || (probe.data && !accepted)}>
            {probe.data
              ? enrol.isPending
                ? "Logging in…"
                : "Enrol"
              : probe.isPending
                ? "Asking…"
                : "Show its host key"}
          </Button>
        </div>
      </form>
    </Modal>
  );
}
