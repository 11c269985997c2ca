import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import { type Alarm, type AlarmDetail, allowed, type Person } from "../../api/client";
import { useKept, useScope, useView } from "../../app/view";
import { Button, Choices, Empty, Failure, FileLink, inputClass, Panel, ScrollRegion } from "../../ui/controls";
import { HealthMark, Shape } from "../../ui/health";
import { Ago, dayTime, many, span } from "../../ui/time";
import { Notices } from "./Notices";
import { OwnRules } from "./OwnRules";
import { useActOnAlarm, useAlarm, useAlarms, useAlarmsOver } from "./queries";

/** What is out of order: the worst first, what follows from something else under that; and one of them in full beside it. */
export function AlarmsPage({ me }: { me: Person }) {
  const [scope] = useScope();
  const [view, setView] = useView("view", "open");
  const [picked, pick] = useView("alarm");
  const over = view === "over";
  const open = useAlarms(scope, undefined, !over);
  const past = useAlarmsOver(scope, over);
  const alarms = over ? past : open;
  const list = over ? (past.data?.pages.flatMap((p) => p.items) ?? []) : (open.data?.items ?? []);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <h1 className="text-lg font-semibold">Alarms</h1>
        <Choices
          label="Which alarms"
          value={view}
          of={[
            ["open", "Open"],
            ["over", "Over"],
            ...(allowed(me, "administer", "alarms")
              ? ([
                  ["told", "Who is told"],
                  ["rules", "Rules of the house"],
                ] as [string, string][])
              : []),
          ]}
          pick={(v) => {
            setView(v);
            pick("");
          }}
        />
      </div>
      {view === "told" && <Notices />}
      {view === "rules" && <OwnRules />}
      <div
        hidden={view === "told" || view === "rules"}
        className={
          picked
            ? "grid grid-cols-[minmax(0,1fr)] items-start gap-3 xl:grid-cols-[minmax(0,1fr)_420px]"
            : "grid grid-cols-[minmax(0,1fr)]"
        }
      >
        <Panel
          title={
            over
              ? "Cleared or closed, the newest first"
              : `${many(open.data?.total ?? list.length, "alarm")}, the worst first`
          }
        >
          {alarms.isError ? (
            <Failure error={alarms.error} retry={() => void alarms.refetch()} />
          ) : list.length === 0 && alarms.data ? (
            <Empty title={over ? "Nothing was out of order yet" : "Nothing is out of order"}>
              {!over && (
                <span className="inline-flex items-center gap-2">
                  <Shape state="well" /> What goes wrong shows here within seconds.
                </span>
              )}
            </Empty>
          ) : (
            <AlarmList over={over} list={list} picked={picked} pick={pick} />
          )}
          {over && past.hasNextPage && (
            <Button className="m-2" disabled={past.isFetchingNextPage} onClick={() => void past.fetchNextPage()}>
              Show older ones
            </Button>
          )}
        </Panel>
        {picked && <Detail number={Number(picked)} me={me} pick={pick} />}
      </div>
    </div>
  );
}

function AlarmList({
  over,
  list,
  picked,
  pick,
}: {
  over: boolean;
  list: Alarm[];
  picked: string;
  pick: (n: string) => void;
}) {
  return (
    <ScrollRegion label="Alarms" className="overflow-x-auto">
      <table className="w-full border-collapse text-left">
        <thead className="text-sm text-soft">
          <tr className="border-b border-rule">
            {["#", "Severity", "Resource", "What", over ? "Stood" : "Since", ...(picked ? [] : ["In hand"])].map(
              (h) => (
                <th key={h} scope="col" className="h-7 whitespace-nowrap px-2.5 font-medium">
                  {h}
                </th>
              ),
            )}
          </tr>
        </thead>
        <tbody>
          {list.map((a) => (
            <tr
              key={a.number}
              aria-selected={String(a.number) === picked}
              onClick={() => pick(String(a.number) === picked ? "" : String(a.number))}
              className="cursor-pointer border-b border-rule/60 last:border-0 hover:bg-ground aria-selected:bg-buff aria-selected:text-buff-ink"
            >
              <td className="px-2.5 py-1 align-baseline tabular-nums">
                <button
                  type="button"
                  className="text-soft hover:underline"
                  aria-label={`Alarm ${a.number}`}
                  onClick={(e) => {
                    e.stopPropagation();
                    pick(String(a.number));
                  }}
                >
                  {a.number}
                </button>
              </td>
              <td className="px-2.5 py-1 align-baseline">
                <HealthMark state={a.state === "open" ? a.severity : "off"} word={a.severity} />
              </td>
              <td className="whitespace-nowrap px-2.5 py-1 align-baseline font-mono text-sm">
                {a.resource || "this service"}
              </td>
              <td className="min-w-[260px] px-2.5 py-1 align-baseline">
                {a.text}
                {a.followers > 0 && (
                  <span className="ml-2 whitespace-nowrap text-sm text-soft">
                    and {a.followers} that {a.state === "open" ? "follow" : "followed"} from it
                  </span>
                )}
                {a.change && <span className="ml-2 whitespace-nowrap text-sm text-trial">after change {a.change}</span>}
              </td>
              <td className="whitespace-nowrap px-2.5 py-1 align-baseline text-soft">
                {a.cleared_at ? `${dayTime(a.raised_at)}, ${stood(a)}` : <Ago at={a.raised_at} word="" />}
                {a.count > 1 && <span className="ml-1.5 text-sm">{a.count} times</span>}
              </td>
              {!picked && <td className="whitespace-nowrap px-2.5 py-1 align-baseline text-sm text-soft">{hand(a)}</td>}
            </tr>
          ))}
        </tbody>
      </table>
    </ScrollRegion>
  );
}

/** For how long one that is cleared stood. */
const stood = (a: Alarm) => span(Date.parse(a.cleared_at ?? a.raised_at) - Date.parse(a.raised_at));

/** Who has an alarm in hand, and how it stands. */
function hand(a: Alarm): string {
  return [
    a.state !== "open" && a.state,
    a.acked_by && `seen by ${a.acked_by}`,
    a.assigned_to && `given to ${a.assigned_to}`,
    a.silence_until && `silent until ${dayTime(a.silence_until)}`,
  ]
    .filter(Boolean)
    .join(", ");
}

function Detail({ number, me, pick }: { number: number; me: Person; pick: (n: string) => void }) {
  const one = useAlarm(number);
  if (one.isError)
    return (
      <Panel title={`Alarm ${number}`}>
        <Failure error={one.error} retry={() => void one.refetch()} />
      </Panel>
    );
  const a = one.data;
  if (!a) return <Panel title={`Alarm ${number}`}>{null}</Panel>;
  return (
    <Panel
      title={`Alarm ${a.number}`}
      aside={
        <Button kind="quiet" className="!h-6 text-buff-ink" onClick={() => pick("")}>
          Close the panel
        </Button>
      }
    >
      <div className="grid gap-2.5 p-3">
        <p className="flex flex-wrap items-center gap-x-3">
          <HealthMark state={a.state === "open" ? a.severity : "off"} word={a.severity} />
          <span className="text-soft">
            {a.cleared_at
              ? `${a.state}, stood ${stood(a)}: ${dayTime(a.raised_at)} to ${dayTime(a.cleared_at)}`
              : `${a.state}, since ${dayTime(a.raised_at)}`}
            {a.count > 1 && `, ${a.count} times`}
          </span>
        </p>
        <p className="font-medium">{a.text}</p>
        {a.effect && <p className="text-soft">{a.effect}</p>}
        {a.remedy && (
          <p>
            <span className="text-soft">To do: </span>
            {a.remedy}
          </p>
        )}
        <Around a={a} pick={pick} />
        {allowed(me, "operate", "alarms") ? <Acts a={a} me={me} /> : <HandOver number={a.number} />}
        {a.follow.length > 0 && (
          <section aria-label="What follows from it">
            <h3 className="text-sm font-semibold">{a.state === "open" ? "Follows from it" : "Followed from it"}</h3>
            <ul>
              {a.follow.map((f) => (
                <li key={f.number} className="flex items-baseline gap-2 py-0.5 text-sm">
                  <button type="button" className="text-accent hover:underline" onClick={() => pick(String(f.number))}>
                    {f.number}
                  </button>
                  <span>{f.text}</span>
                </li>
              ))}
            </ul>
          </section>
        )}
        {a.notes && a.notes.length > 0 && (
          <section aria-label="What was done">
            <h3 className="text-sm font-semibold">Done</h3>
            <ol>
              {a.notes.map((n) => (
                <li key={n.at} className="py-0.5 text-sm">
                  <span className="text-soft">{dayTime(n.at)}</span> {n.by} {n.text}
                </li>
              ))}
            </ol>
          </section>
        )}
      </div>
    </Panel>
  );
}

/** What an alarm is about, and what may be why. */
function Around({ a, pick }: { a: AlarmDetail; pick: (n: string) => void }) {
  const kept = useKept();
  return (
    <ul className="grid gap-0.5 text-sm">
      {a.device && (
        <li>
          <Link to={kept(`/devices/${a.device}`)} className="font-mono">
            {a.resource}
          </Link>
          {a.site && <span className="text-soft"> at {a.site}</span>}
        </li>
      )}
      {a.cause && (
        <li>
          It follows from{" "}
          <button type="button" className="text-accent hover:underline" onClick={() => pick(String(a.cause))}>
            alarm {a.cause}
          </button>
          .
        </li>
      )}
      {a.change ? (
        <li>
          <Link to={`/changes?tray=${a.change}`}>Change {a.change}</Link> of {a.changed_by} was made there shortly
          before.
        </li>
      ) : (
        a.changed_by && <li>{a.changed_by} changed something there shortly before.</li>
      )}
      {hand(a) && <li className="text-soft first-letter:uppercase">{hand(a)}.</li>}
    </ul>
  );
}

function HandOver({ number }: { number: number }) {
  return (
    <FileLink
      href={`/api/v1/alarms/${number}/hand-over`}
      title="All that is known of it as one text, for somebody else"
    >
      Hand over
    </FileLink>
  );
}

function Acts({ a, me }: { a: AlarmDetail; me: Person }) {
  const [text, setText] = useState("");
  const act = useActOnAlarm();
  const go = (
    what: "acknowledge" | "unacknowledge" | "assign" | "note" | "close" | "silence",
    more: { to?: string; minutes?: number } = {},
  ) =>
    act.mutate(
      { number: a.number, act: what, text: text.trim() || undefined, ...more },
      { onSuccess: () => setText("") },
    );
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (text.trim()) go("note");
  };
  return (
    <form onSubmit={submit} className="grid gap-1.5 border-y border-rule py-2" aria-label="What to do about it">
      <input
        aria-label="What you say of it"
        placeholder="What you say of it"
        className={inputClass}
        maxLength={2000}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <div className="flex flex-wrap gap-1.5">
        <HandOver number={a.number} />
        {a.state !== "open" ? null : a.acked_by ? (
          <Button disabled={act.isPending} onClick={() => go("unacknowledge")}>
            Not seen
          </Button>
        ) : (
          <Button kind="main" disabled={act.isPending} onClick={() => go("acknowledge")}>
            I have seen it
          </Button>
        )}
        {a.state !== "open" ? null : a.assigned_to === me.name ? (
          <Button disabled={act.isPending} onClick={() => go("assign")}>
            Give it back
          </Button>
        ) : (
          <Button disabled={act.isPending} onClick={() => go("assign", { to: me.name })}>
            Take it
          </Button>
        )}
        <Button type="submit" disabled={act.isPending || !text.trim()}>
          Note
        </Button>
        {a.state === "open" && (
          <>
            <select
              aria-label="Silence it"
              className="h-7 rounded-sm border border-rule bg-raised px-1 text-ink"
              value=""
              disabled={act.isPending}
              onChange={(e) => e.target.value && go("silence", { minutes: Number(e.target.value) })}
            >
              <option value="">silence…</option>
              <option value="60">for an hour</option>
              <option value="480">for 8 hours</option>
              <option value="1440">for a day</option>
              <option value="10080">for a week</option>
              {a.silence_until && <option value="0">no longer</option>}
            </select>
            <Button
              disabled={act.isPending || !text.trim()}
              title="It stands: say why it is closed all the same"
              onClick={() => go("close")}
            >
              Close by hand
            </Button>
          </>
        )}
      </div>
      {act.isError && (
        <p role="alert" className="text-down">
          {act.error.message}
        </p>
      )}
    </form>
  );
}
