import { Trash2 } from "lucide-react";
import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import { allowed, type Person, type Promised, type PromiseRequest } from "../../api/client";
import { Button, Empty, Failure, Field, inputClass, Modal, Panel, ScrollRegion } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { many } from "../../ui/time";
import { usePromises, usePutPromise, useRemovePromise, useTryPromise } from "./queries";

const shapes: Record<string, string> = { kept: "well", broken: "down", unknown: "unknown" };

/** What must always, or must never, reach what, and how that stands on what runs. */
export function Promises({ me }: { me: Person }) {
  const list = usePromises();
  const [editing, setEditing] = useState<Promised | "new">();
  const [leaving, setLeaving] = useState<Promised>();
  const remove = useRemovePromise();
  const may = allowed(me, "administer", "alarms");
  const items = list.data?.items ?? [];
  return (
    <Panel
      title={many(items.length, "promise")}
      aside={may && <Button onClick={() => setEditing("new")}>Promise something</Button>}
    >
      {list.isError ? (
        <Failure error={list.error} retry={() => void list.refetch()} />
      ) : items.length === 0 && list.data ? (
        <Empty title="Nothing is promised yet">
          Say what must always reach what, or must never. A draft that would break it is stopped, with the line that
          does; one that is broken from elsewhere is an alarm.
        </Empty>
      ) : (
        <ScrollRegion label="Promises" className="max-h-[74vh] overflow-auto">
          <table className="w-full border-collapse text-left">
            <thead className="sticky top-0 bg-panel text-sm text-soft shadow-[inset_0_-1px_0_var(--rule)]">
              <tr>
                {["Promise", "It is", "From", "Must", "To", "By", ""].map((h) => (
                  <th key={h} scope="col" className="h-7 whitespace-nowrap px-2.5 font-medium">
                    {h || <span className="sr-only">What can be done</span>}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {items.map((p) => (
                <tr key={p.name} className="border-b border-rule/60 align-top last:border-0">
                  <td className="px-2.5 py-1">
                    {may ? (
                      <button
                        type="button"
                        className="text-left text-accent hover:underline"
                        onClick={() => setEditing(p)}
                      >
                        {p.title}
                      </button>
                    ) : (
                      p.title
                    )}
                    <Breaches p={p} />
                  </td>
                  <td className="px-2.5 py-1">
                    <HealthMark state={shapes[p.standing] ?? "unknown"} word={p.standing} />
                  </td>
                  <td className="px-2.5 py-1 font-mono text-sm">{p.from}</td>
                  <td className="px-2.5 py-1">{p.never ? "never" : "always"}</td>
                  <td className="px-2.5 py-1 font-mono text-sm">{p.to}</td>
                  <td className="whitespace-nowrap px-2.5 py-1 font-mono text-sm">{by(p)}</td>
                  <td className="px-2.5 py-1 text-right">
                    {may && (
                      <button
                        type="button"
                        title={`Remove ${p.title}`}
                        aria-label={`Remove ${p.title}`}
                        className="rounded-sm p-1 text-soft hover:bg-buff hover:text-buff-ink"
                        onClick={() => setLeaving(p)}
                      >
                        <Trash2 size={13} aria-hidden />
                      </button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </ScrollRegion>
      )}
      {editing && <PromiseDialog p={editing === "new" ? undefined : editing} onClose={() => setEditing(undefined)} />}
      {leaving && (
        <Modal
          open
          onOpenChange={() => setLeaving(undefined)}
          title={`Remove ${leaving.title}?`}
          description="Nobody is told any more when it is broken, and no draft is stopped for it."
        >
          <div className="flex justify-end gap-2">
            <Button onClick={() => setLeaving(undefined)}>Leave it</Button>
            <Button
              kind="main"
              onClick={() =>
                remove.mutate(leaving.name, {
                  onSuccess: () => setLeaving(undefined),
                  onError: (e) => toast.error(e.message),
                })
              }
            >
              Remove
            </Button>
          </div>
        </Modal>
      )}
    </Panel>
  );
}

const by = (p: PromiseRequest) => (p.protocol === "icmp" ? "icmp" : `${p.protocol}/${p.port ?? ""}`);

function Breaches({ p }: { p: Promised }) {
  if (p.breaches.length === 0) return p.why ? <p className="text-sm text-soft">{p.why}</p> : null;
  return (
    <ul className="text-sm text-down">
      {p.breaches.slice(0, 3).map((b) => (
        <li key={`${b.from} ${b.to}`}>
          {b.from} to {b.to}: {b.why}
        </li>
      ))}
      {p.breaches.length > 3 && <li>and {p.breaches.length - 3} more</li>}
    </ul>
  );
}

const nameOf = (title: string) =>
  title
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 60);

/** Promises something, once it was seen how that stands. */
function PromiseDialog({ p, onClose }: { p?: Promised; onClose: () => void }) {
  const [title, setTitle] = useState(p?.title ?? "");
  const [never, setNever] = useState(p?.never ?? false);
  const [from, setFrom] = useState(p?.from ?? "");
  const [to, setTo] = useState(p?.to ?? "");
  const [service, setService] = useState(p ? by(p) : "tcp/443");
  const [protocol = "", port = ""] = service.trim().toLowerCase().split("/");
  const put = usePutPromise();
  const test = useTryPromise();
  const body: PromiseRequest = {
    title: title.trim(),
    never,
    from: from.trim(),
    to: to.trim(),
    protocol: protocol as "tcp",
    port: protocol === "icmp" ? undefined : Number(port),
  };
  const lacks = !title.trim() || !from.trim() || !to.trim() || !/^(icmp|(tcp|udp)\/\d{1,5})$/.test(service.trim());
  const name = p?.name ?? nameOf(title);
  const submit = (e: FormEvent) => {
    e.preventDefault();
    put.mutate({ name, body }, { onSuccess: onClose });
  };
  const error = put.error ?? test.error;
  return (
    <Modal
      open
      onOpenChange={onClose}
      title={p?.title ?? "Promise something"}
      description="A draft that would break it is stopped; what breaks it from elsewhere is an alarm."
      wide
    >
      <form onSubmit={submit} className="grid gap-3" aria-label="Promise">
        <Field label="Title" help="such as: Cameras are recorded">
          {(id, help) => (
            <input
              id={id}
              aria-describedby={help}
              className={inputClass}
              maxLength={120}
              required
              value={title}
              onChange={(e) => setTitle(e.target.value)}
            />
          )}
        </Field>
        <div className="grid gap-3 sm:grid-cols-[1fr_110px_1fr_120px]">
          <Field label="From" help="a selector of end stations, or an address">
            {(id, help) => (
              <input
                id={id}
                aria-describedby={help}
                className={`${inputClass} font-mono`}
                placeholder="client.vlan = 50"
                required
                value={from}
                onChange={(e) => setFrom(e.target.value)}
              />
            )}
          </Field>
          <Field label="Must">
            {(id) => (
              <select
                id={id}
                className={inputClass}
                value={never ? "never" : "always"}
                onChange={(e) => setNever(e.target.value === "never")}
              >
                <option>always</option>
                <option>never</option>
              </select>
            )}
          </Field>
          <Field label="Reach" help="the same">
            {(id, help) => (
              <input
                id={id}
                aria-describedby={help}
                className={`${inputClass} font-mono`}
                placeholder="10.1.50.10"
                required
                value={to}
                onChange={(e) => setTo(e.target.value)}
              />
            )}
          </Field>
          <Field label="By" help="tcp/554, icmp">
            {(id, help) => (
              <input
                id={id}
                aria-describedby={help}
                className={`${inputClass} font-mono`}
                required
                value={service}
                onChange={(e) => setService(e.target.value)}
              />
            )}
          </Field>
        </div>
        {test.data && (
          <div role="status" className="rounded border border-rule p-2">
            <HealthMark
              state={shapes[test.data.standing] ?? "unknown"}
              word={`It would be ${test.data.standing} now`}
            />
            <span className="ml-2 text-sm text-soft">between {many(test.data.asked, "pair")} of ends</span>
            <Breaches p={test.data} />
          </div>
        )}
        {error && (
          <p role="alert" className="text-down">
            {error.message}
          </p>
        )}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Leave it</Button>
          <Button disabled={lacks || test.isPending} onClick={() => test.mutate(body)}>
            Try it
          </Button>
          <Button type="submit" kind="main" disabled={lacks || put.isPending || !name}>
            Promise it
          </Button>
        </div>
      </form>
    </Modal>
  );
}
