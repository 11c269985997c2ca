import { type FormEvent, useState } from "react";
import { useNavigate } from "react-router";
import { allowed, type Person } from "../../api/client";
import { useKept, useScope, useTyped, useView } from "../../app/view";
import { Button, Choices, Empty, Failure, Field, inputClass, Modal, Panel, ScrollRegion } from "../../ui/controls";
import { Ago, dayTime, many } from "../../ui/time";
import { JobDialog } from "../jobs/JobDialog";
import { Detail, why } from "./BackupPanel";
import { ImportBackup } from "./ImportBackup";
import { useBackupRule, useBackupSearch, useBackups, usePutBackupRule } from "./queries";

/** What devices ran, as it is kept: listed, searched, compared, and brought back. */
export function BackupsPage({ me }: { me: Person }) {
  const [scope] = useScope();
  const [all, setAll] = useView("all");
  const [device, setDevice] = useView("device");
  const [find, setFind] = useTyped("find");
  const [picked, pick] = useView("backup");
  const [making, setMaking] = useState(false);
  const [importing, setImporting] = useState(false);
  const kept = useKept();
  const go = useNavigate();
  const every = all !== "" || device !== "";
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <h1 className="text-lg font-semibold">Backups</h1>
        <Choices
          label="Which backups"
          value={device ? "of" : all}
          of={[
            ["", "The last of each device"],
            ["1", "All that are kept"],
          ]}
          pick={(v) => {
            setDevice("");
            setAll(v);
          }}
        >
          {device && (
            <button
              type="button"
              aria-pressed
              onClick={() => setDevice("")}
              title="Show all devices again"
              className="h-6 rounded-sm border border-accent px-2 text-sm font-semibold"
            >
              All of {device} ✕
            </button>
          )}
        </Choices>
        {allowed(me, "see", "configuration") && (
          <label className="flex items-center gap-2 text-sm">
            Find in them
            <input
              className={`${inputClass} !w-52 font-mono`}
              value={find}
              maxLength={200}
              placeholder="10.1.10.5"
              onChange={(e) => setFind(e.target.value)}
            />
          </label>
        )}
        <span className="grow" />
        <Retention me={me} />
        {allowed(me, "administer", "backups") && <Button onClick={() => setImporting(true)}>Take over…</Button>}
        {allowed(me, "operate", "backups") && allowed(me, "operate", "jobs") && (
          <Button kind="main" onClick={() => setMaking(true)}>
            Back up…
          </Button>
        )}
      </div>
      <div
        className={
          picked
            ? "grid grid-cols-[minmax(0,1fr)] items-start gap-3 xl:grid-cols-[minmax(0,1fr)_minmax(460px,1fr)]"
            : "grid grid-cols-[minmax(0,1fr)]"
        }
      >
        {find.length > 1 ? (
          <Found text={find} where={scope} every={every} picked={picked} pick={pick} />
        ) : (
          <List where={scope} device={device} last={!every} picked={picked} pick={pick} />
        )}
        {picked && <Detail number={Number(picked)} me={me} pick={pick} ofDevice={setDevice} />}
      </div>
      {importing && (
        <ImportBackup
          device={device}
          close={() => setImporting(false)}
          done={(n) => {
            setImporting(false);
            pick(String(n));
          }}
        />
      )}
      {making && (
        <JobDialog
          kinds={["backup"]}
          only
          where={scope}
          onClose={() => setMaking(false)}
          made={(j) => void go(kept(`/jobs?job=${j.number}`))}
        />
      )}
    </div>
  );
}

function List({
  where,
  device,
  last,
  picked,
  pick,
}: {
  where: string;
  device: string;
  last: boolean;
  picked: string;
  pick: (n: string) => void;
}) {
  const backups = useBackups(where, device, last);
  const list = backups.data?.pages.flatMap((p) => p.items) ?? [];
  const heads = ["#", "Device", "Taken", "Why", "Still so", ...(picked ? [] : ["Device was", "Note"])];
  return (
    <Panel title={`${many(list.length, "backup")}${backups.hasNextPage ? " and more" : ""}, the newest first`}>
      {backups.isError ? (
        <Failure error={backups.error} retry={() => void backups.refetch()} />
      ) : list.length === 0 && backups.data ? (
        <Empty title="Nothing is kept here yet">What a device runs is kept as soon as it was read.</Empty>
      ) : (
        <ScrollRegion label="Backups" className="max-h-[70vh] overflow-auto">
          <table className="w-full border-collapse text-left">
            <thead className="sticky top-0 bg-panel text-sm text-soft shadow-[inset_0_-1px_0_var(--rule)]">
              <tr>
                {heads.map((h) => (
                  <th key={h} scope="col" className="h-7 whitespace-nowrap px-2.5 font-medium">
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {list.map((b) => (
                <tr
                  key={b.number}
                  aria-selected={String(b.number) === picked}
                  onClick={() => pick(String(b.number) === picked ? "" : String(b.number))}
                  className="cursor-pointer border-b border-rule/60 last:border-0 hover:bg-ground aria-selected:bg-buff aria-selected:text-buff-ink"
                >
                  <td className="px-2.5 py-1 tabular-nums">
                    <button
                      type="button"
                      className="text-soft hover:underline"
                      aria-label={`Backup ${b.number}`}
                      onClick={(e) => {
                        e.stopPropagation();
                        pick(String(b.number));
                      }}
                    >
                      {b.number}
                    </button>
                  </td>
                  <td className="whitespace-nowrap px-2.5 py-1 font-mono text-sm">{b.device}</td>
                  <td className="whitespace-nowrap px-2.5 py-1">{dayTime(b.taken_at)}</td>
                  <td className="px-2.5 py-1 text-soft">{why(b)}</td>
                  <td className="whitespace-nowrap px-2.5 py-1 text-soft">
                    {b.confirmed_at && <Ago at={b.confirmed_at} />}
                  </td>
                  {!picked && (
                    <>
                      <td className="whitespace-nowrap px-2.5 py-1 text-soft">
                        {b.model} <span className="font-mono text-sm">{b.firmware}</span>
                      </td>
                      <td className="max-w-[280px] break-words px-2.5 py-1">
                        {b.pinned && <span className="mr-1.5 rounded-sm border border-rule px-1 text-xs">pinned</span>}
                        {b.note}
                      </td>
                    </>
                  )}
                </tr>
              ))}
            </tbody>
          </table>
          {backups.hasNextPage && (
            <p className="p-2 text-center">
              <Button disabled={backups.isFetchingNextPage} onClick={() => void backups.fetchNextPage()}>
                Older ones
              </Button>
            </p>
          )}
        </ScrollRegion>
      )}
    </Panel>
  );
}

/** The lines of backups that hold a text. */
function Found({
  text,
  where,
  every,
  picked,
  pick,
}: {
  text: string;
  where: string;
  every: boolean;
  picked: string;
  pick: (n: string) => void;
}) {
  const found = useBackupSearch(text, where, every);
  const list = found.data?.items ?? [];
  return (
    <Panel
      title={
        found.data
          ? `${many(list.length, "line")} in ${many(found.data.searched, "backup")}${found.data.more ? ", and further ones" : ""}`
          : "Looking…"
      }
    >
      {found.isError ? (
        <Failure error={found.error} retry={() => void found.refetch()} />
      ) : found.data && list.length === 0 ? (
        <Empty title={`No line holds “${text}”`}>
          {!every && "Only the last backup of each device was looked through."}
        </Empty>
      ) : (
        <ScrollRegion label="Lines that were found" className="max-h-[70vh] overflow-auto">
          <table className="w-full border-collapse text-left text-sm">
            <tbody>
              {list.map((h) => (
                <tr
                  key={`${h.backup} ${h.line}`}
                  aria-selected={String(h.backup) === picked}
                  onClick={() => pick(String(h.backup))}
                  className="cursor-pointer border-b border-rule/60 last:border-0 hover:bg-ground aria-selected:bg-buff aria-selected:text-buff-ink"
                >
                  <td className="whitespace-nowrap px-2.5 py-0.5">
                    <button type="button" className="hover:underline" onClick={() => pick(String(h.backup))}>
                      {h.device} <span className="text-soft">backup {h.backup}</span>
                    </button>
                  </td>
                  <td className="px-2.5 py-0.5 text-right text-soft tabular-nums">{h.line}</td>
                  <td className="w-full break-all px-2.5 py-0.5 font-mono">{h.text}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </ScrollRegion>
      )}
    </Panel>
  );
}

/** How long backups are kept: said by who administers them, shown to all. */
function Retention({ me }: { me: Person }) {
  const rule = useBackupRule(true);
  const [open, setOpen] = useState(false);
  if (!rule.data) return null;
  const words = `kept ${rule.data.days} days, at least the last ${rule.data.least}`;
  if (!allowed(me, "administer", "backups")) return <span className="text-sm text-soft">{words}</span>;
  return (
    <>
      <button type="button" className="text-sm text-soft hover:text-ink hover:underline" onClick={() => setOpen(true)}>
        {words}
      </button>
      {open && <RuleDialog days={rule.data.days} least={rule.data.least} onClose={() => setOpen(false)} />}
    </>
  );
}

function RuleDialog({ days, least, onClose }: { days: number; least: number; onClose: () => void }) {
  const [typed, setTyped] = useState({ days: String(days), least: String(least) });
  const put = usePutBackupRule();
  const submit = (e: FormEvent) => {
    e.preventDefault();
    put.mutate({ days: Number(typed.days), least: Number(typed.least) }, { onSuccess: onClose });
  };
  const line = (name: "days" | "least", label: string, help: string) => (
    <Field label={label} help={help}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          type="number"
          min={1}
          required
          className={inputClass}
          value={typed[name]}
          onChange={(e) => setTyped({ ...typed, [name]: e.target.value })}
        />
      )}
    </Field>
  );
  return (
    <Modal
      open
      onOpenChange={onClose}
      title="How long backups are kept"
      description="What is older is dropped within the hour. Pinned ones stay."
    >
      <form onSubmit={submit} className="grid gap-2">
        {line("days", "Days", "after another one replaced it")}
        {line("least", "At least", "of each device, however old")}
        {put.isError && (
          <p role="alert" className="text-down">
            {put.error.message}
          </p>
        )}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Leave it</Button>
          <Button type="submit" kind="main" disabled={put.isPending}>
            Keep it so
          </Button>
        </div>
      </form>
    </Modal>
  );
}
