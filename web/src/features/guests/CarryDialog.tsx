import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import type { GuestPortal, Person } from "../../api/client";
import { useView } from "../../app/view";
import { Button, Field, inputClass, Modal } from "../../ui/controls";
import { useOwnDraft } from "../settings/queries";
import { useNetworks } from "../wireless/queries";
import { useCarry } from "./queries";

/** Puts a portal before a wireless network, or takes it off, in a draft. */
export function CarryDialog({ portal, me, close }: { portal: GuestPortal; me: Person; close: () => void }) {
  const networks = useNetworks("");
  const [network, setNetwork] = useState(portal.networks[0] ?? "");
  const [where, setWhere] = useState("");
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const carry = useCarry();
  const names = networks.data?.items.map((n) => n.name) ?? [];
  const name = network || names[0] || "";
  const off = portal.networks.includes(name) && where.trim() === "";
  const submit = (e: FormEvent) => {
    e.preventDefault();
    carry.mutate(
      { name: portal.name, network: name, where: where.trim() || undefined, off: off || undefined, change: draft },
      {
        onSuccess: (a) => {
          if (!a.change) {
            toast.error(a.results.find((r) => r.why)?.why ?? "Nothing is different: it is so already.");
            return;
          }
          setTray(String(a.change.number));
          close();
        },
      },
    );
  };
  return (
    <Modal
      open
      onOpenChange={close}
      title={`Networks of ${portal.name}`}
      description="Stations of the network reach nothing but the page until they are let in. It goes into a draft: it is in force once that is pushed."
    >
      <form onSubmit={submit} className="grid gap-2">
        {!portal.address && (
          <p role="alert" className="text-down">
            The service has no door for guests: start it with --guest-listen and --guest-address.
          </p>
        )}
        <Field label="Network" help={portal.networks.length ? `it receives ${portal.networks.join(", ")} now` : ""}>
          {(id, by) => (
            <select
              id={id}
              aria-describedby={by}
              className={inputClass}
              value={name}
              onChange={(e) => setNetwork(e.target.value)}
            >
              {names.map((n) => (
                <option key={n}>{n}</option>
              ))}
            </select>
          )}
        </Field>
        <Field
          label="On access points"
          help="a selector, such as site = tern-haven; wherever it is offered when left out"
        >
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              className={`${inputClass} font-mono`}
              value={where}
              onChange={(e) => setWhere(e.target.value)}
            />
          )}
        </Field>
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Leave it</Button>
          <Button type="submit" kind="main" disabled={carry.isPending || name === "" || (!off && !portal.address)}>
            {off ? "Take it off, in a draft" : "Put it into a draft"}
          </Button>
        </div>
      </form>
    </Modal>
  );
}
