import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import type { Device } from "../../api/client";
import { useDeviceLogin } from "../../api/queries";
import { Button, Field, inputClass, Modal } from "../../ui/controls";

/** For a device whose password somebody changed: say it, and it is kept once it let the service in. */
export function LoginDialog({ d }: { d: Device }) {
  const [open, setOpen] = useState(false);
  const [user, setUser] = useState("");
  const [password, setPassword] = useState("");
  const login = useDeviceLogin();
  const submit = (e: FormEvent) => {
    e.preventDefault();
    login.mutate(
      { name: d.name, user: user.trim() || undefined, password },
      {
        onSuccess: () => {
          toast.success(`${d.name} let the service in by it, and it is kept.`);
          setOpen(false);
        },
      },
    );
  };
  return (
    <>
      <Button
        onClick={() => {
          login.reset();
          setPassword("");
          setOpen(true);
        }}
      >
        Say its password
      </Button>
      <Modal
        open={open}
        onOpenChange={setOpen}
        title={`Password of ${d.name}`}
        description="By which the service logs in, where somebody changed it on the device. It is tried first, and kept where it lets the service in."
      >
        <form onSubmit={submit} className="grid gap-3" aria-label="Password of the device">
          <Field label="User" help="as before while it is empty">
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                className={inputClass}
                maxLength={100}
                autoComplete="off"
                value={user}
                onChange={(e) => setUser(e.target.value)}
              />
            )}
          </Field>
          <Field label="Password" help="sealed, and never shown again">
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                type="password"
                className={inputClass}
                required
                autoComplete="new-password"
                value={password}
                onChange={(e) => setPassword(e.target.value)}
              />
            )}
          </Field>
          {login.isError && (
            <p role="alert" className="text-down">
              {login.error.message}
            </p>
          )}
          <div className="flex justify-end gap-2">
            <Button onClick={() => setOpen(false)}>Leave it</Button>
            <Button type="submit" kind="main" disabled={login.isPending || !password}>
              {login.isPending ? "Trying it…" : "Try it and keep it"}
            </Button>
          </div>
        </form>
      </Modal>
    </>
  );
}
