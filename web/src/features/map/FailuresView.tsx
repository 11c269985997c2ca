import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import { api, type NetworkFailure, take } from "../../api/client";
import { keys } from "../../api/queries";
import { useKept, useScope, useView } from "../../app/view";
import { Button, Empty, Failure, inputClass, Panel } from "../../ui/controls";
import { type Column, Table } from "../../ui/table";
import { many } from "../../ui/time";

/** What is lost when something fails, and which single things take others with them. */
export function FailuresView() {
  const [scope] = useScope();
  const [what, setWhat] = useView("what");
  const [typed, setTyped] = useState(what);
  const points = useQuery({
    queryKey: [...keys.map, "single-points", scope],
    queryFn: () => take(api.GET("/api/v1/single-points", { params: { query: { where: scope } } })),
    placeholderData: keepPreviousData,
  });
  const asked = useQuery({
    queryKey: [...keys.map, "what-if", what],
    queryFn: () => take(api.GET("/api/v1/what-if", { params: { query: { what } } })),
    enabled: what !== "",
  });
  const ask = (thing: string) => {
    setTyped(thing);
    setWhat(thing);
  };
  const submit = (e: FormEvent) => {
    e.preventDefault();
    setWhat(typed.trim());
  };
  const [sort, setSort] = useView("fsort", "");
  const columns: Column<NetworkFailure>[] = [
    { key: "kind", head: "What", sort: (f) => f.kind, cell: (f) => f.kind },
    {
      key: "where",
      head: "Where",
      mono: true,
      sort: (f) => f.ends.join(),
      cell: (f) => (
        <button type="button" className="text-left text-accent hover:underline" onClick={() => ask(f.what)}>
          {f.kind === "tunnel" ? `${f.what.slice(7)} (${f.ends.join(" – ")})` : f.ends.join(" – ")}
        </button>
      ),
    },
    { key: "devices", head: "Devices lost", right: true, sort: (f) => f.devices.length, cell: (f) => f.devices.length },
    {
      key: "which",
      head: "Which",
      mono: true,
      cell: (f) =>
        `${f.devices.slice(0, 3).join(", ")}${f.devices.length > 3 ? ` and ${f.devices.length - 3} more` : ""}`,
    },
    {
      key: "cut",
      head: "Cut off from other sites",
      mono: true,
      sort: (f) => f.cut_off.join(),
      cell: (f) => f.cut_off.join(", "),
    },
    { key: "clients", head: "End stations", right: true, sort: (f) => f.clients, cell: (f) => f.clients },
  ];
  return (
    <div className="grid min-h-0 grid-cols-[minmax(0,1fr)] gap-3 overflow-auto">
      <Panel title="What if it fails?">
        <form onSubmit={submit} className="flex flex-wrap items-center gap-2 p-3">
          <label htmlFor="what-fails" className="text-soft">
            If this fails
          </label>
          <input
            id="what-fails"
            className={`${inputClass} !w-72 font-mono`}
            placeholder="th-sw-01, th-sw-01:1/1/49, hh-core-01:psu1"
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
          />
          <Button type="submit" kind="main" disabled={typed.trim() === ""}>
            Ask
          </Button>
        </form>
        {what !== "" &&
          (asked.isError ? (
            <Failure error={asked.error} retry={() => void asked.refetch()} />
          ) : asked.data ? (
            <Answer f={asked.data} />
          ) : null)}
      </Panel>
      {points.isError ? (
        <Failure error={points.error} retry={() => void points.refetch()} />
      ) : (
        <Panel title={`${many(points.data?.items.length ?? 0, "single point")} of failure`}>
          <Table
            label="Single points of failure"
            columns={columns}
            rows={points.data?.items ?? []}
            rowKey={(f) => f.what}
            sort={sort}
            onSort={setSort}
            className="max-h-[calc(100vh-320px)]"
            empty={points.data ? <Empty title="Nothing here takes others with it when it fails" /> : null}
          />
        </Panel>
      )}
    </div>
  );
}

/** Names, none of which is broken at the end of a line. */
function words(list: string[]) {
  if (list.length === 0) return "";
  return (
    <span className="flex flex-wrap gap-x-3 font-mono">
      {list.map((w) => (
        <span key={w} className="whitespace-nowrap">
          {w}
        </span>
      ))}
    </span>
  );
}

/** What is lost, and what takes its place. */
function Answer({ f }: { f: NetworkFailure }) {
  const kept = useKept();
  const names = (list: string[]) =>
    list.map((d, i) => (
      <span key={d}>
        {i > 0 && ", "}
        <Link to={kept(`/devices/${d}`)} className="font-mono text-accent">
          {d}
        </Link>
      </span>
    ));
  const lines: [string, React.ReactNode][] = [
    ["Not reached any more", f.devices.length ? names(f.devices) : "no other device"],
    ["Cut off from other sites", f.cut_off.length ? names(f.cut_off) : "no site"],
    ["End stations cut off", String(f.clients)],
    ["Taken over by", words(f.opens)],
    ["Tunnels that are left", words(f.over)],
    [
      "Customers apart",
      words((f.customers ?? []).map((c) => `${c.port} from ${c.from.join(", ")} (service VLAN ${c.service_vlan})`)),
    ],
    ["Fed by", words(f.powered ?? [])],
  ];
  return (
    <dl className="grid grid-cols-[max-content_1fr] gap-x-4 gap-y-1 border-t border-rule p-3">
      {lines
        .filter(([, value]) => value !== "")
        .map(([title, value]) => (
          <div key={title} className="contents">
            <dt className="text-soft">{title}</dt>
            <dd>{value}</dd>
          </div>
        ))}
    </dl>
  );
}
