import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { allowed, type Discovery, type FoundDevice, type Person } from "../../api/client";
import { useList } from "../../api/lists";
import { useAccept, useCancelDiscovery, useDiscover, useDiscoveries, useDismiss, useFound } from "../../api/queries";
import { useTyped, useView } from "../../app/view";
import { Button, Empty, Failure, Field, inputClass, Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { KindIcon } from "../../ui/kinds";
import { type Column, Table } from "../../ui/table";
import { Ago, many } from "../../ui/time";

/** Looking for devices: where to begin, how far it is, and what was found and waits to be accepted. */
export function DiscoverPage({ me }: { me: Person }) {
  const searches = useDiscoveries();
  const last = searches.data?.items[0];
  const may = allowed(me, "operate", "discovery");
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex items-baseline justify-between">
        <h1 className="text-lg font-semibold">Discover devices</h1>
        <Link to="/devices">All devices</Link>
      </div>
      <div className="grid gap-3 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
        <Panel title="Where to look">
          {may ? (
            <SearchForm running={last?.state === "running"} />
          ) : (
            <Empty title="You may look, not search">
              Searching logs in to devices: it takes the right to operate discovery.
            </Empty>
          )}
        </Panel>
        <Panel title={last ? `Search ${last.number}` : "No search yet"} aside={last && <Ago at={last.started_at} />}>
          {last ? (
            <Progress d={last} may={may} />
          ) : (
            <Empty title="Nothing was searched yet">
              Begin with the address of one device: its neighbours lead to the rest.
            </Empty>
          )}
        </Panel>
      </div>
      <Waiting me={me} />
    </div>
  );
}

function SearchForm({ running }: { running: boolean }) {
  const [targets, setTargets] = useTyped("from");
  const [user, setUser] = useState("");
  const [password, setPassword] = useState("");
  const [hops, setHops] = useState(16);
  const [port, setPort] = useState(830);
  const start = useDiscover();
  return (
    <form
      className="grid gap-3 p-3"
      onSubmit={(e) => {
        e.preventDefault();
        start.mutate({ targets: targets.split(/[\s,]+/).filter(Boolean), user, password, hops, port });
      }}
    >
      <Field
        label="Addresses"
        help="One or more: 10.20.1.11, a prefix such as 10.20.1.0/24, or a range such as 10.20.1.10-10.20.1.40"
      >
        {(id, d) => (
          <input
            id={id}
            aria-describedby={d}
            value={targets}
            onChange={(e) => setTargets(e.target.value)}
            className={`${inputClass} font-mono`}
            placeholder="10.20.1.11"
          />
        )}
      </Field>
      <div className="grid gap-3 sm:grid-cols-4">
        <Field label="User on the devices">
          {(id, d) => (
            <input
              id={id}
              aria-describedby={d}
              value={user}
              autoComplete="off"
              onChange={(e) => setUser(e.target.value)}
              className={inputClass}
            />
          )}
        </Field>
        <Field label="Password">
          {(id, d) => (
            <input
              id={id}
              aria-describedby={d}
              type="password"
              value={password}
              autoComplete="new-password"
              onChange={(e) => setPassword(e.target.value)}
              className={inputClass}
            />
          )}
        </Field>
        <Field label="Follow neighbours" help="hops; 0: do not">
          {(id, d) => (
            <input
              id={id}
              aria-describedby={d}
              type="number"
              min={0}
              max={32}
              value={hops}
              onChange={(e) => setHops(Number(e.target.value))}
              className={inputClass}
            />
          )}
        </Field>
        <Field label="Port" help="of NETCONF">
          {(id, d) => (
            <input
              id={id}
              aria-describedby={d}
              type="number"
              min={1}
              max={65535}
              value={port}
              onChange={(e) => setPort(Number(e.target.value))}
              className={inputClass}
            />
          )}
        </Field>
      </div>
      {start.error && (
        <p role="alert" className="text-down">
          {start.error.message}
        </p>
      )}
      <div className="flex items-center justify-between gap-4">
        <p className="text-sm text-soft">
          The search logs in to whatever answers: look only where you would type the password yourself.
        </p>
        <Button kind="main" type="submit" disabled={running || start.isPending || !targets.trim() || !user}>
          Search
        </Button>
      </div>
    </form>
  );
}

function Progress({ d, may }: { d: Discovery; may: boolean }) {
  const cancel = useCancelDiscovery();
  const all = d.asked + d.queued;
  const refused = Object.entries(d.refused);
  const words = {
    running: { state: "trial", text: "under way" },
    done: { state: "well", text: "done" },
    cancelled: { state: "off", text: "cancelled" },
    interrupted: { state: "unknown", text: "interrupted: the service was stopped" },
  }[d.state];
  return (
    <div className="grid gap-2 p-3">
      <div className="flex items-center justify-between">
        <HealthMark state={words.state} word={words.text} />
        {d.state === "running" && may && (
          <Button onClick={() => cancel.mutate(d.number)} disabled={cancel.isPending}>
            Cancel
          </Button>
        )}
      </div>
      <div
        className="h-1.5 bg-rule"
        role="progressbar"
        aria-valuenow={d.asked}
        aria-valuemin={0}
        aria-valuemax={all || 1}
        aria-label="Addresses asked"
      >
        <div className="h-full bg-accent" style={{ width: `${all ? (100 * d.asked) / all : 100}%` }} />
      </div>
      <dl className="grid grid-cols-[auto_1fr_auto_1fr] gap-x-3 gap-y-1">
        {(
          [
            ["Addresses asked", d.asked],
            ["Waiting", d.queued],
            ["Devices found", d.found],
            ["Known already", d.known],
            ["Silent", d.silent],
            ["Refused", refused.length],
          ] as const
        ).map(([what, n]) => (
          <div key={what} className="contents">
            <dt className="text-soft">{what}</dt>
            <dd className="font-semibold">{n}</dd>
          </div>
        ))}
      </dl>
      <p className="truncate text-sm text-soft" title={d.targets.join(", ")}>
        From {d.targets.join(", ")},{" "}
        {d.hops ? `following neighbours over ${many(d.hops, "hop")}` : "without following neighbours"}, by {d.by}
      </p>
      {refused.length > 0 && (
        <ul className="max-h-28 overflow-auto text-sm">
          {refused.map(([address, why]) => (
            <li key={address}>
              <span className="font-mono">{address}</span> <span className="text-down">{why}</span>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

function Waiting({ me }: { me: Person }) {
  const found = useFound();
  const sites = useList("sites", { sort: "site.title" });
  const [sort, setSort] = useView("sort", "hostname");
  const [chosen, setChosen] = useState<Set<string>>(new Set());
  const [siteOf, setSiteOf] = useState<Record<string, string>>({});
  const accept = useAccept();
  const dismiss = useDismiss();
  const may = allowed(me, "operate", "discovery");
  const rows = found.data?.items ?? [];
  const site = (f: FoundDevice) => siteOf[f.address] ?? f.site ?? "";
  const picked = rows.filter((f) => chosen.has(f.address));
  const ready = picked.filter((f) => site(f));
  const toggle = (f: FoundDevice) => {
    const next = new Set(chosen);
    if (!next.delete(f.address)) next.add(f.address);
    setChosen(next);
  };
  const columns: Column<FoundDevice>[] = [
    {
      key: "pick",
      head: "",
      width: "44px",
      cell: (f) => (
        <input
          type="checkbox"
          checked={chosen.has(f.address)}
          onChange={() => toggle(f)}
          aria-label={`Pick ${f.hostname}`}
          className="accent-[var(--accent)]"
        />
      ),
    },
    {
      key: "hostname",
      head: "Device",
      width: "150px",
      sort: (f) => f.hostname,
      cell: (f) => (
        <span className="flex items-center gap-2">
          <span className="text-soft">
            <KindIcon kind={f.kind} />
          </span>
          <span className="font-mono text-sm">{f.hostname}</span>
        </span>
      ),
    },
    {
      key: "model",
      head: "Model",
      width: "120px",
      sort: (f) => f.maker + f.model,
      cell: (f) => `${f.maker} ${f.model}`,
    },
    { key: "serial", head: "Serial", width: "110px", mono: true, sort: (f) => f.serial, cell: (f) => f.serial },
    { key: "address", head: "Address", width: "150px", mono: true, sort: (f) => f.address, cell: (f) => f.address },
    {
      key: "site",
      head: "Site",
      width: "170px",
      sort: site,
      cell: (f) => (
        <select
          value={site(f)}
          disabled={!may}
          aria-label={`Site of ${f.hostname}`}
          onChange={(e) => setSiteOf({ ...siteOf, [f.address]: e.target.value })}
          className="h-6 w-[150px] rounded-sm border border-rule bg-raised px-1"
        >
          <option value="">choose</option>
          {sites.data?.items.map((s) => (
            <option key={s.name} value={s.name}>
              {s.title}
            </option>
          ))}
        </select>
      ),
    },
    {
      key: "via",
      head: "Told of by",
      width: "170px",
      mono: true,
      sort: (f) => f.via ?? "",
      cell: (f) => f.via || "asked for",
    },
    { key: "key", head: "Host key it showed", mono: true, cell: (f) => <span title={f.host_key}>{f.host_key}</span> },
  ];
  const all = rows.length > 0 && picked.length === rows.length;
  return (
    <Panel
      title={`${many(rows.length, "device")} found, waiting to be accepted`}
      aside={may && rows.length > 0 && "compare the host keys with what the devices display"}
    >
      {may && rows.length > 0 && (
        <div className="flex h-10 items-center gap-3 border-b border-rule px-3">
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={all}
              onChange={() => setChosen(all ? new Set() : new Set(rows.map((f) => f.address)))}
              className="accent-[var(--accent)]"
            />
            All
          </label>
          <span className="grow text-sm text-soft">
            {picked.length > ready.length &&
              `${many(picked.length - ready.length, "device")} picked without a site: choose one`}
          </span>
          <Button
            disabled={picked.length === 0 || dismiss.isPending}
            onClick={() =>
              dismiss.mutate(
                picked.map((f) => f.address),
                { onSuccess: () => setChosen(new Set()) },
              )
            }
          >
            Forget {picked.length || ""}
          </Button>
          <Button
            kind="main"
            disabled={ready.length === 0 || ready.length < picked.length || accept.isPending}
            onClick={() =>
              accept.mutate(
                ready.map((f) => ({ address: f.address, host_key: f.host_key, site: site(f) })),
                {
                  onSuccess: (r) => {
                    const failed = r.items.filter((x) => x.problem);
                    setChosen(new Set(failed.map((x) => x.address)));
                    if (failed.length === 0) toast.success(`${many(r.items.length, "device")} accepted.`);
                    for (const f of failed.slice(0, 3)) toast.error(`${f.address}: ${f.problem}`);
                  },
                },
              )
            }
          >
            {accept.isPending ? "Accepting…" : `Accept keys and enrol ${ready.length || ""}`}
          </Button>
        </div>
      )}
      {found.isError ? (
        <Failure error={found.error} retry={() => void found.refetch()} />
      ) : (
        <Table
          label="Found devices"
          columns={columns}
          rows={rows}
          rowKey={(f) => f.address}
          sort={sort}
          onSort={setSort}
          className="max-h-[calc(100vh-440px)] min-h-[120px]"
          empty={
            <Empty title="Nothing waits">What a search finds is listed here until it is accepted or forgotten.</Empty>
          }
        />
      )}
    </Panel>
  );
}
