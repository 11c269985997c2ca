import { useState } from "react";
import { Link } from "react-router";
import { allowed, type GuestStay, type Person } from "../../api/client";
import { useKept, useView } from "../../app/view";
import { Button, Choices, Empty, Failure, Field, inputClass, Modal, Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { type Column, Table } from "../../ui/table";
import { dayTime, many } from "../../ui/time";
import { Portals } from "./Portals";
import { useDecide, useGuests } from "./queries";
import { Vouchers } from "./Vouchers";

/** Guests of wireless networks: who came, who asks to be let in, on which pages they are received, and vouchers. */
export function GuestsPage({ me }: { me: Person }) {
  const [view, setView] = useView("view");
  const [days, setDays] = useView("days", "7");
  const list = useGuests(Number(days) || 7);
  const waiting = list.data?.items.filter((g) => g.state === "waiting").length ?? 0;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <h1 className="text-lg font-semibold">Guests</h1>
        <Choices
          label="What is shown"
          value={view}
          of={[
            ["", waiting ? `Who came (${waiting} waiting)` : "Who came"],
            ["vouchers", "Vouchers"],
            ["portals", "Portals"],
          ]}
          pick={setView}
        />
        <span className="grow" />
        {view === "" && (
          <Choices
            label="Within"
            value={days}
            of={[
              ["1", "24 h"],
              ["7", "7 days"],
              ["30", "30 days"],
              ["90", "90 days"],
            ]}
            pick={setDays}
          />
        )}
      </div>
      {view === "portals" ? (
        <Portals me={me} />
      ) : view === "vouchers" ? (
        <Vouchers me={me} />
      ) : list.isError ? (
        <Failure error={list.error} retry={() => void list.refetch()} />
      ) : (
        <Came me={me} items={list.data?.items} />
      )}
    </div>
  );
}

const shapes: Record<string, string> = { waiting: "trial", in: "well", over: "off", "turned-away": "down" };
const words: Record<string, string> = { waiting: "waits", in: "is in", over: "has left", "turned-away": "turned away" };

function Came({ me, items }: { me: Person; items?: GuestStay[] }) {
  const kept = useKept();
  const [sort, setSort] = useView("sort", "");
  const [away, setAway] = useState<GuestStay>();
  const decide = useDecide();
  const may = allowed(me, "operate", "guests");
  const rows = [...(items ?? [])].sort((a, b) => Number(b.state === "waiting") - Number(a.state === "waiting"));
  const columns: Column<GuestStay>[] = [
    {
      key: "state",
      head: "Stands",
      sort: (g) => g.state,
      cell: (g) => <HealthMark state={shapes[g.state] ?? "unknown"} word={words[g.state]} />,
    },
    {
      key: "name",
      head: "Name",
      sort: (g) => g.name ?? "",
      cell: (g) => g.name || <span className="text-soft">not said</span>,
    },
    { key: "visits", head: "Visits", sort: (g) => g.visits ?? "", cell: (g) => g.visits },
    {
      key: "station",
      head: "Station",
      mono: true,
      sort: (g) => g.station,
      cell: (g) => <Link to={kept(`/clients?find=${encodeURIComponent(g.station)}`)}>{g.station}</Link>,
    },
    { key: "portal", head: "Portal", sort: (g) => g.portal, cell: (g) => g.portal },
    {
      key: "at",
      head: "At",
      mono: true,
      sort: (g) => g.device ?? "",
      cell: (g) => g.device && <Link to={kept(`/devices/${g.device}`)}>{g.device}</Link>,
    },
    { key: "came", head: "Came", sort: (g) => g.asked_at, cell: (g) => dayTime(g.asked_at) },
    { key: "until", head: "Until", sort: (g) => g.until ?? "", cell: (g) => g.until && dayTime(g.until) },
    {
      key: "by",
      head: "By",
      sort: (g) => g.let_in_by ?? "",
      cell: (g) => [g.let_in_by, g.ended_by && `ended by ${g.ended_by}`, g.why].filter(Boolean).join(", "),
    },
    {
      key: "act",
      head: "",
      right: true,
      cell: (g) =>
        !may ? null : g.state === "waiting" ? (
          <span className="inline-flex gap-1">
            <Button
              kind="main"
              className="!h-6"
              disabled={decide.isPending}
              onClick={() => decide.mutate({ number: g.number, act: "let-in" })}
            >
              Let in
            </Button>
            <Button className="!h-6" onClick={() => setAway(g)}>
              Turn away…
            </Button>
          </span>
        ) : g.state === "in" ? (
          <Button
            className="!h-6"
            disabled={decide.isPending}
            onClick={() => decide.mutate({ number: g.number, act: "end" })}
          >
            End
          </Button>
        ) : null,
    },
  ];
  return (
    <Panel title={many(rows.length, "guest")}>
      <Table
        label="Guests"
        columns={columns}
        rows={rows}
        rowKey={(g) => String(g.number)}
        sort={sort}
        onSort={setSort}
        className="max-h-[calc(100vh-200px)]"
        empty={
          items ? (
            <Empty title="No guest came">
              Guests are received on a page once a portal stands before a wireless network: see Portals.
            </Empty>
          ) : null
        }
      />
      {away && <TurnAway g={away} close={() => setAway(undefined)} />}
    </Panel>
  );
}

function TurnAway({ g, close }: { g: GuestStay; close: () => void }) {
  const [why, setWhy] = useState("");
  const decide = useDecide();
  return (
    <Modal
      open
      onOpenChange={close}
      title={`Turn ${g.name || g.station} away?`}
      description="The guest is told, and may ask again."
    >
      <form
        className="grid gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          decide.mutate({ number: g.number, act: "turn-away", why: why.trim() || undefined }, { onSuccess: close });
        }}
      >
        <Field label="Why" help="the guest reads it">
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              className={inputClass}
              maxLength={200}
              value={why}
              onChange={(e) => setWhy(e.target.value)}
            />
          )}
        </Field>
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Leave it</Button>
          <Button type="submit" kind="main" disabled={decide.isPending}>
            Turn away
          </Button>
        </div>
      </form>
    </Modal>
  );
}
