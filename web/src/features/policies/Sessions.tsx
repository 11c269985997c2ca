import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { allowed, type FirewallSession, type FirewallSessions, type Person } from "../../api/client";
import { useKept, useTyped } from "../../app/view";
import { Button, Empty, Failure, Field, inputClass, Modal, Panel, ScrollRegion } from "../../ui/controls";
import { Ago, dayTime, many } from "../../ui/time";
import { useFinish } from "../operations/queries";
import { octets } from "../ports/PortPanel";
import { useFirewallSessions } from "./queries";

const heads = ["", "Source", "Destination", "Let begin by", "Application", "Began", "Up", "Down"];
const right = new Set(["Up", "Down"]);

type Act =
  | { kind: "end-session"; sessions: FirewallSession[] }
  | { kind: "block-source"; address: string; name?: string };

/** The sessions that a firewall let begin and that go on, to search in, to end, and to block who has them. */
export function Sessions({ name, me }: { name: string; me: Person }) {
  const [source, setSource] = useTyped("source");
  const [destination, setDestination] = useTyped("destination");
  const [port, setPort] = useTyped("port");
  const [rule, setRule] = useTyped("rule");
  const [picked, setPicked] = useState<string[]>([]);
  const [act, setAct] = useState<Act | null>(null);
  const list = useFirewallSessions(name, source.trim(), destination.trim(), Number(port) || 0, Number(rule) || 0);
  const may = allowed(me, "operate", "devices");
  const s = list.data;
  const chosen = (s?.items ?? []).filter((x) => picked.includes(x.id));
  const digits = (set: (v: string) => void) => (v: string) => set(v.replace(/\D/g, "").slice(0, 5));
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <Panel
        title={
          <span className="flex flex-wrap items-baseline gap-x-3">
            <span className="font-mono">{name}</span>
            {s && <span className="text-sm font-normal">{many(s.total, "session")}</span>}
          </span>
        }
        aside={
          may && (
            <Button
              className="!h-6"
              disabled={chosen.length === 0}
              onClick={() => setAct({ kind: "end-session", sessions: chosen })}
            >
              End {chosen.length > 0 ? chosen.length : ""}…
            </Button>
          )
        }
      >
        <div className="grid gap-3 p-3 sm:grid-cols-[minmax(0,1fr)_minmax(0,1fr)_88px_88px]">
          <Typed
            label="From"
            help="address, prefix or name"
            value={source}
            set={setSource}
            placeholder="10.2.80.0/24"
          />
          <Typed
            label="To"
            help="as it is, or as it is seen beyond"
            value={destination}
            set={setDestination}
            placeholder="10.1.20.30"
          />
          <Typed label="Port" value={port} set={digits(setPort)} placeholder="443" />
          <Typed label="Rule" value={rule} set={digits(setRule)} placeholder="70" />
        </div>
        {list.isError ? (
          <Failure error={list.error} retry={() => void list.refetch()} />
        ) : s && s.items.length === 0 ? (
          <Empty title="There is no such session">
            {source || destination || port || rule
              ? "No session that goes on is of these ends, this port and this rule."
              : "Nobody has a session through this firewall at the moment."}
          </Empty>
        ) : (
          <Table
            list={s?.items ?? []}
            may={may}
            picked={picked}
            pick={setPicked}
            block={(x) => setAct({ kind: "block-source", address: hostOf(x.source), name: x.source_name })}
          />
        )}
        {s && s.total > s.items.length && (
          <p className="border-t border-rule px-3 py-1.5 text-soft">
            These are {s.items.length} of {s.total}: search for fewer.
          </p>
        )}
      </Panel>
      {s && s.blocked.length > 0 && <Blocked list={s.blocked} device={name} may={may} />}
      {act && <Ask act={act} device={name} done={() => setPicked([])} close={() => setAct(null)} />}
    </div>
  );
}

const hostOf = (end: string) => (end.startsWith("[") ? end.slice(1, end.indexOf("]")) : (end.split(":")[0] ?? end));

function Typed(p: { label: string; help?: string; value: string; set: (v: string) => void; placeholder: string }) {
  return (
    <Field label={p.label} help={p.help}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          className={`${inputClass} font-mono`}
          maxLength={100}
          placeholder={p.placeholder}
          value={p.value}
          onChange={(e) => p.set(e.target.value)}
        />
      )}
    </Field>
  );
}

function Table({
  list,
  may,
  picked,
  pick,
  block,
}: {
  list: FirewallSession[];
  may: boolean;
  picked: string[];
  pick: (ids: string[]) => void;
  block: (s: FirewallSession) => void;
}) {
  return (
    <ScrollRegion label="Sessions" className="max-h-[62vh] overflow-auto border-t border-rule">
      <table className="w-full border-collapse text-left text-sm">
        <thead className="sticky top-0 z-10 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
          <tr>
            {heads.map((h) => (
              <th
                key={h}
                scope="col"
                className={`h-7 whitespace-nowrap px-2 font-medium ${right.has(h) ? "text-right" : ""}`}
              >
                {h || <span className="sr-only">Picked</span>}
              </th>
            ))}
            {may && (
              <th scope="col">
                <span className="sr-only">Acts</span>
              </th>
            )}
          </tr>
        </thead>
        <tbody>
          {list.map((s) => (
            <tr key={s.id} className="border-t border-rule/60 align-top first:border-0">
              <td className="w-px px-2 py-0.5">
                {may && (
                  <input
                    type="checkbox"
                    aria-label={`Session ${s.id}`}
                    className="accent-[var(--accent)]"
                    checked={picked.includes(s.id)}
                    onChange={(e) => pick(e.target.checked ? [...picked, s.id] : picked.filter((x) => x !== s.id))}
                  />
                )}
              </td>
              <End end={s.source} name={s.source_name} as={s.seen_source} />
              <End end={s.destination} name={s.destination_name} as={s.seen_destination} />
              <td className="px-2 py-0.5">
                <div>rule {s.rule}</div>
                <div className="whitespace-nowrap text-soft">
                  {s.from} to {s.to}
                </div>
              </td>
              <td className="px-2 py-0.5">
                <div>{s.application}</div>
                <div className="text-soft">{s.protocol}</div>
              </td>
              <td className="whitespace-nowrap px-2 py-0.5 text-soft">
                <Ago at={s.began} />
              </td>
              <td className="whitespace-nowrap px-2 py-0.5 text-right tabular-nums">{octets(s.up_octets)}</td>
              <td className="whitespace-nowrap px-2 py-0.5 text-right tabular-nums">{octets(s.down_octets)}</td>
              {may && (
                <td className="w-px px-2 py-0.5">
                  <Button
                    kind="quiet"
                    className="!h-5 whitespace-nowrap"
                    aria-label={`Block ${hostOf(s.source)}`}
                    onClick={() => block(s)}
                  >
                    Block…
                  </Button>
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
    </ScrollRegion>
  );
}

/** One of the ends of a session, with what it is called and as what it is seen beyond the firewall. */
function End({ end, name, as }: { end: string; name?: string; as?: string }) {
  const kept = useKept();
  return (
    <td className="px-2 py-0.5">
      <div className="whitespace-nowrap font-mono">{end}</div>
      {name && (
        <div className="whitespace-nowrap">
          <Link to={kept(`/clients?find=${encodeURIComponent(hostOf(end))}`)}>{name}</Link>
        </div>
      )}
      {as && (
        <div className="whitespace-nowrap text-soft">
          beyond <span className="font-mono">{as}</span>
        </div>
      )}
    </td>
  );
}

/** Has somebody confirm what is ended or blocked, and says what came of it. */
function Ask({ act, device, done, close }: { act: Act; device: string; done: () => void; close: () => void }) {
  const [minutes, setMinutes] = useState("60");
  const finish = useFinish(device);
  const ends = act.kind === "end-session";
  const title = ends ? `End ${many(act.sessions.length, "session")}?` : `Block ${act.name ?? act.address}?`;
  const n = Number(minutes);
  const bad = !ends && !(n >= 1 && n <= 43_200);
  const go = () =>
    finish.mutate(
      ends
        ? { kind: act.kind, args: { session: act.sessions.map((s) => s.id).join(",") } }
        : { kind: act.kind, args: { source: act.address, for: minutes } },
      {
        onSuccess: (said) => {
          toast.success(said);
          done();
          close();
        },
      },
    );
  return (
    <Modal
      open
      onOpenChange={close}
      title={title}
      description={
        ends
          ? "What belongs to them passes no more; who takes part begins anew, or gives up."
          : `${act.address} reaches nothing through ${device} until the time is over or somebody lets it again; its sessions are ended. The firewall forgets it when it starts again.`
      }
    >
      <form
        className="grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (!bad) go();
        }}
      >
        {ends ? (
          <ul className="max-h-40 overflow-auto font-mono text-sm">
            {act.sessions.map((s) => (
              <li key={s.id}>
                {s.source} to {s.destination}
              </li>
            ))}
          </ul>
        ) : (
          <Field label="For" help={bad ? "minutes, from 1 to 43200" : "minutes"}>
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                className={inputClass}
                inputMode="numeric"
                value={minutes}
                onChange={(e) => setMinutes(e.target.value.replace(/\D/g, ""))}
              />
            )}
          </Field>
        )}
        {finish.isError && (
          <p role="alert" className="text-down">
            {finish.error.message}
          </p>
        )}
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Leave it</Button>
          <Button type="submit" kind="danger" disabled={finish.isPending || bad}>
            {finish.isPending ? "Asking it…" : ends ? "End" : "Block"}
          </Button>
        </div>
      </form>
    </Modal>
  );
}

function Blocked({ list, device, may }: { list: FirewallSessions["blocked"]; device: string; may: boolean }) {
  const finish = useFinish(device);
  return (
    <Panel title={`${many(list.length, "source")} blocked`}>
      <table className="w-full border-collapse text-left text-sm">
        <tbody>
          {list.map((b) => (
            <tr key={b.address} className="border-t border-rule/60 first:border-0">
              <td className="px-3 py-1 font-mono">{b.address}</td>
              <td className="px-3 py-1">{b.name}</td>
              <td className="px-3 py-1">until {dayTime(b.until)}</td>
              <td className="px-3 py-1 text-soft">{many(b.refused_sessions, "session")} refused</td>
              <td className="w-px px-3 py-1">
                {may && (
                  <Button
                    className="!h-6 whitespace-nowrap"
                    disabled={finish.isPending}
                    onClick={() =>
                      finish.mutate(
                        { kind: "unblock-source", args: { source: b.address } },
                        { onSuccess: (said) => toast.success(said), onError: (e) => toast.error(e.message) },
                      )
                    }
                  >
                    Let it again
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Panel>
  );
}
