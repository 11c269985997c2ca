import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { allowed, type Backup, type Person } from "../../api/client";
import { useKept, useView } from "../../app/view";
import { Button, Failure, Field, inputClass, Modal, Panel, ScrollRegion } from "../../ui/controls";
import { shown } from "../../ui/secret";
import { dayTime } from "../../ui/time";
import { useBackup, useBackups, useComparison, usePin, useRestoreBackup } from "./queries";

/** Why a backup was taken last. */
export const why = (b: Backup) =>
  ({
    hand: `read by ${b.by}`,
    job: `job of ${b.by}`,
    upgrade: "before an upgrade",
    import: `taken over by ${b.by}`,
    change: b.changed_by ? `changed by ${b.changed_by}` : "as it was seen",
  })[b.why];

/** One backup in full: what differs from it, and what can be done with it. */
export function Detail({
  number,
  me,
  pick,
  ofDevice,
}: {
  number: number;
  me: Person;
  pick: (n: string) => void;
  ofDevice: (device: string) => void;
}) {
  const one = useBackup(number);
  const kept = useKept();
  const [other, setOther] = useState(0);
  const b = one.data;
  const others = useBackups("", b?.device ?? "nothing", false);
  if (one.isError)
    return (
      <Panel title={`Backup ${number}`}>
        <Failure error={one.error} retry={() => void one.refetch()} />
      </Panel>
    );
  if (!b) return <Panel title={`Backup ${number}`}>{null}</Panel>;
  const list = (others.data?.pages.flatMap((p) => p.items) ?? []).filter((o) => o.number !== number);
  const sees = allowed(me, "see", "configuration");
  return (
    <Panel
      title={`Backup ${b.number} of ${b.device}`}
      aside={
        <Button kind="quiet" className="!h-6 text-buff-ink" onClick={() => pick("")}>
          Close the panel
        </Button>
      }
    >
      <div className="grid gap-2 p-3">
        <p>
          <Link to={kept(`/devices/${b.device}`)} className="font-mono text-sm">
            {b.device}
          </Link>{" "}
          {b.model && `(${b.model}, firmware ${b.firmware}) `}ran this from {dayTime(b.taken_at)}
          {b.changed_by && `, when ${b.changed_by} changed it`}
          {b.last ? "; it was not seen to run another since." : "."}
          {b.confirmed_at && ` Last read ${dayTime(b.confirmed_at)}, ${why(b)}.`}
        </p>
        <div className="flex flex-wrap gap-1.5">
          {sees && allowed(me, "change", "ports") && <Restore b={b} />}
          {sees && (
            <a
              className="inline-flex h-7 items-center rounded-sm border border-rule bg-raised px-2.5 font-medium text-ink hover:border-soft hover:no-underline"
              href={`/api/v1/backups/${number}/content`}
              download={`${b.device}-${number}.xml`}
            >
              Download
            </a>
          )}
          <Button onClick={() => ofDevice(b.device)}>All of {b.device}</Button>
        </div>
        {allowed(me, "operate", "backups") ? (
          <Pin key={b.number} b={b} />
        ) : (
          b.pinned && <p className="text-soft">It is pinned{b.note && `: ${b.note}`}.</p>
        )}
      </div>
      {sees && (
        <section aria-label="What differs" className="border-t border-rule">
          <label className="flex items-center gap-2 px-3 py-1.5 text-sm">
            Compared with
            <select
              className="h-6 min-w-0 rounded-sm border border-rule bg-raised px-1 text-ink"
              value={other}
              onChange={(e) => setOther(Number(e.target.value))}
            >
              <option value={0}>what it runs now</option>
              {list.map((o) => (
                <option key={o.number} value={o.number}>
                  backup {o.number}, {dayTime(o.taken_at)}, {why(o)}
                </option>
              ))}
            </select>
          </label>
          <Comparison number={number} other={other} />
        </section>
      )}
    </Panel>
  );
}

function Comparison({ number, other }: { number: number; other: number }) {
  const c = useComparison(number, other, true);
  if (c.isError)
    return (
      <p role="alert" className="px-3 pb-2 text-down">
        {c.error.message}
      </p>
    );
  if (!c.data) return <p className="px-3 pb-2 text-soft">Comparing…</p>;
  if (c.data.items.length === 0) return <p className="px-3 pb-3 text-soft">No setting differs.</p>;
  return (
    <ScrollRegion label="Settings that differ" className="max-h-[380px] overflow-auto border-t border-rule">
      <table className="w-full border-collapse text-left text-sm">
        <thead className="sticky top-0 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
          <tr>
            {["On", "Setting", "In this backup", other ? "In the other" : "Now"].map((h) => (
              <th key={h} scope="col" className="h-7 px-3 font-medium">
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {c.data.items.map((d) => (
            <tr key={d.port + d.field} className="border-t border-rule/60 align-top first:border-0">
              <td className="whitespace-nowrap px-3 py-0.5 font-mono">{d.port.split(":")[1] || "device"}</td>
              <td className="px-3 py-0.5 text-soft">{d.field}</td>
              <td className="break-all px-3 py-0.5 font-mono">{shown(d.before) || "empty"}</td>
              <td className="break-all px-3 py-0.5 font-mono">{shown(d.after) || "empty"}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </ScrollRegion>
  );
}

function Pin({ b }: { b: Backup }) {
  const [note, setNote] = useState(b.note ?? "");
  const pin = usePin();
  const pinned = pin.isPending ? pin.variables.pinned : b.pinned;
  const put = (pinned: boolean) =>
    pin.mutate(
      { number: b.number, pinned, note: note.trim() || undefined },
      { onError: (e) => toast.error(e.message) },
    );
  const submit = (e: FormEvent) => {
    e.preventDefault();
    put(pinned);
  };
  return (
    <form onSubmit={submit} className="flex flex-wrap items-center gap-1.5" aria-label="What is said of it">
      <input
        aria-label="Note"
        placeholder="Note: as it was accepted"
        className={`${inputClass} !w-60`}
        maxLength={500}
        value={note}
        onChange={(e) => setNote(e.target.value)}
      />
      <Button type="submit" disabled={pin.isPending || note.trim() === (b.note ?? "")}>
        Keep the note
      </Button>
      <label className="flex items-center gap-1.5" title="A pinned backup is never dropped, however old it is">
        <input
          type="checkbox"
          className="accent-[var(--accent)]"
          checked={pinned}
          onChange={(e) => put(e.target.checked)}
        />
        never drop it
      </label>
    </form>
  );
}

/** Makes a draft that brings a device to what the backup holds. */
function Restore({ b }: { b: Backup }) {
  const [open, setOpen] = useState(false);
  const [onto, setOnto] = useState("");
  const [part, setPart] = useState<"whole" | "policies">("whole");
  const [, setTray] = useView("tray");
  const restore = useRestoreBackup();
  const submit = (e: FormEvent) => {
    e.preventDefault();
    e.stopPropagation();
    restore.mutate(
      { number: b.number, onto: onto.trim() || undefined, part },
      {
        onSuccess: (c) => {
          setOpen(false);
          setTray(String(c.number));
        },
      },
    );
  };
  return (
    <>
      <Button kind="main" onClick={() => setOpen(true)}>
        Restore…
      </Button>
      <Modal
        open={open}
        onOpenChange={(on) => {
          restore.reset();
          setOpen(on);
        }}
        title={`Restore backup ${b.number}`}
        description="It becomes a draft with all that differs. Nothing happens on a device before you check and push it."
      >
        <form onSubmit={submit} className="grid gap-2">
          <Field label="Onto" help="another device of the same model gets all but its own name and addresses">
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                className={`${inputClass} font-mono`}
                placeholder={b.device}
                value={onto}
                onChange={(e) => setOnto(e.target.value)}
              />
            )}
          </Field>
          <Field
            label="What"
            help={part === "whole" ? "what is not among the settings stays as it is" : "and where they are in force"}
          >
            {(id, by) => (
              <select
                id={id}
                aria-describedby={by}
                className={inputClass}
                value={part}
                onChange={(e) => setPart(e.target.value as "whole" | "policies")}
              >
                <option value="whole">all settings</option>
                <option value="policies">only access lists</option>
              </select>
            )}
          </Field>
          {restore.isError && (
            <p role="alert" className="text-down">
              {restore.error.message}
            </p>
          )}
          <div className="flex justify-end gap-2">
            <Button onClick={() => setOpen(false)}>Leave it</Button>
            <Button type="submit" kind="main" disabled={restore.isPending}>
              Make the draft
            </Button>
          </div>
        </form>
      </Modal>
    </>
  );
}
