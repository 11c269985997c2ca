import { useQuery } from "@tanstack/react-query";
import { Link2 } from "lucide-react";
import { useState } from "react";
import { api, type BundleEnd, type Person, take } from "../../api/client";
import { useAddEdits } from "../../api/queries";
import { useView } from "../../app/view";
import { Button, Failure, Field, inputClass, Modal } from "../../ui/controls";
import { useOwnDraft } from "./queries";

const protocols: [string, string][] = [
  ["lacp-active", "LACP, begins by itself"],
  ["lacp-passive", "LACP, waits for the other end"],
  ["static", "static, without a protocol"],
];

/** Makes a bundle of the picked ports, and of what is at the other end of their cables. */
export function BundleDialog({ ports, me }: { ports: string[]; me: Person }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button onClick={() => setOpen(true)}>
        <Link2 size={14} aria-hidden /> Bundle them…
      </Button>
      <Modal
        open={open}
        onOpenChange={setOpen}
        title="Make a bundle"
        wide
        description="Several cables as one (IEEE 802.1AX). It takes the VLANs of its first port; both ends go into the draft, and nothing is sent yet."
      >
        {open && <Proposal ports={ports} me={me} done={() => setOpen(false)} />}
      </Modal>
    </>
  );
}

function Proposal({ ports, me, done }: { ports: string[]; me: Person; done: () => void }) {
  const [protocol, setProtocol] = useState("lacp-active");
  const [both, setBoth] = useState(true);
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const add = useAddEdits();
  const proposal = useQuery({
    queryKey: ["bundle-proposal", ports, protocol, draft],
    queryFn: () =>
      take(api.POST("/api/v1/bundles/proposal", { body: { ports, protocol: protocol as "static", change: draft } })),
    placeholderData: (old) => old,
    retry: false,
  });
  if (proposal.isError) return <Failure error={proposal.error} />;
  const p = proposal.data;
  if (!p) return <p className="text-soft">Asking what is at the other end…</p>;
  const edits = both ? p.edits : p.edits.filter((e) => !p.far.some((end) => e.port.startsWith(`${end.device}:`)));
  const vlans = ["mode", "vlan", "native-vlan", "trunk-vlans"]
    .flatMap((f) => p.edits.filter((e) => e.field === f).slice(0, 1))
    .map((e) => `${e.field} ${e.value}`)
    .join(", ");
  return (
    <div className="grid gap-3">
      <div className="grid grid-cols-[minmax(0,1fr)_auto_minmax(0,1fr)] items-start gap-3">
        <Ends ends={p.near} title="This end" />
        <span className="self-center text-xl text-soft" aria-hidden>
          ⇄
        </span>
        {p.far.length > 0 ? (
          <Ends ends={p.far} title="The other end" />
        ) : (
          <p className="text-soft">The other end is not known: set it up there by hand.</p>
        )}
      </div>
      {p.notes.length > 0 && (
        <ul className="rounded border border-degraded px-2 py-1 text-sm">
          {p.notes.map((n) => (
            <li key={n}>{n}</li>
          ))}
        </ul>
      )}
      <p className="text-sm text-soft">VLANs: {vlans}</p>
      <div className="grid grid-cols-2 items-end gap-3">
        <Field label="Protocol" help="The same at both ends, and one of them must begin">
          {(id, by) => (
            <select
              id={id}
              aria-describedby={by}
              className={inputClass}
              value={protocol}
              onChange={(e) => setProtocol(e.target.value)}
            >
              {protocols.map(([v, word]) => (
                <option key={v} value={v}>
                  {word}
                </option>
              ))}
            </select>
          )}
        </Field>
        {p.far.length > 0 && (
          <label className="mb-[18px] flex h-7 items-center gap-2">
            <input type="checkbox" checked={both} onChange={(e) => setBoth(e.target.checked)} />
            Also make the other end
          </label>
        )}
      </div>
      <div className="flex justify-end gap-2">
        <Button onClick={done}>Cancel</Button>
        <Button
          kind="main"
          disabled={add.isPending}
          onClick={() =>
            add.mutate(
              { draft, edits },
              {
                onSuccess: (c) => {
                  done();
                  setTray(String(c.number));
                },
              },
            )
          }
        >
          {draft ? `Add to draft ${draft}` : "Put into a new draft"}
        </Button>
      </div>
    </div>
  );
}

function Ends({ ends, title }: { ends: BundleEnd[]; title: string }) {
  return (
    <section className="rounded border border-rule px-2 py-1.5">
      <h3 className="text-sm font-semibold">{title}</h3>
      {ends.map((e) => (
        <div key={e.device} className="mt-1">
          <p className="font-mono text-sm">
            {e.device}:{e.bundle}
          </p>
          <p className="text-sm text-soft">
            ports <span className="font-mono">{e.ports.join(", ")}</span>
          </p>
        </div>
      ))}
    </section>
  );
}
