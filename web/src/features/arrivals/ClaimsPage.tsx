import { useState } from "react";
import { Link } from "react-router";
import { allowed, type ClaimedDevice, type Person } from "../../api/client";
import { useList } from "../../api/lists";
import { useView } from "../../app/view";
import { Button, Empty, Failure, Field, inputClass, Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { type Column, Table } from "../../ui/table";
import { Ago, many } from "../../ui/time";
import { useClaim, useClaims, useDropClaim } from "./queries";
import { readClaims } from "./sheet";

const stepWords = { expected: "not heard of yet", asked: "asked what it is to be", told: "will call home" };

/** Devices that are claimed by their serial numbers before they arrive. */
export function ClaimsPage({ me }: { me: Person }) {
  const claims = useClaims();
  const [sort, setSort] = useView("sort", "name");
  const drop = useDropClaim();
  const may = allowed(me, "operate", "devices");
  const rows = claims.data?.items ?? [];
  const columns: Column<ClaimedDevice>[] = [
    { key: "name", head: "Device", mono: true, sort: (c) => c.name ?? "", cell: (c) => c.name },
    { key: "serial", head: "Serial", mono: true, sort: (c) => c.serial, cell: (c) => c.serial },
    { key: "site", head: "Site", sort: (c) => c.site ?? "", cell: (c) => c.site },
    {
      key: "like",
      head: "Configuration",
      sort: (c) => c.replaces ?? c.like ?? "",
      cell: (c) => (
        <>
          {c.replaces ? (
            <>
              takes the place of <Link to={`/devices/${c.replaces}`}>{c.replaces}</Link>
            </>
          ) : c.like ? (
            <>
              like <Link to={`/devices/${c.like}`}>{c.like}</Link>
            </>
          ) : (
            "as it comes"
          )}
          {c.edits && c.edits.length > 0 && `, ${many(c.edits.length, "edit")}`}
        </>
      ),
    },
    {
      key: "step",
      head: "State",
      sort: (c) => c.step,
      cell: (c) =>
        c.said ? (
          <HealthMark state="degraded" word={c.said} />
        ) : (
          <span className="flex gap-2">
            <HealthMark state={c.step === "expected" ? "off" : "trial"} word={stepWords[c.step]} />
            {c.asked_at && (
              <span className="text-soft">
                <Ago at={c.asked_at} />
              </span>
            )}
          </span>
        ),
    },
    {
      key: "by",
      head: "Claimed",
      sort: (c) => c.at,
      cell: (c) => (
        <>
          <Ago at={c.at} /> by {c.by}
        </>
      ),
    },
    {
      key: "drop",
      head: "",
      right: true,
      cell: (c) =>
        may && (
          <Button className="h-6" disabled={drop.isPending} onClick={() => drop.mutate(c.serial)}>
            Take back
          </Button>
        ),
    },
  ];
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex items-baseline justify-between">
        <h1 className="text-lg font-semibold">Expected devices</h1>
        <Link to="/devices">All devices</Link>
      </div>
      <p className="max-w-[80ch] text-soft">
        A device that is claimed by its serial number comes by itself: switched on, it shows the certificate of its
        maker, is told what it is to be, and calls home. Nobody need be there.
      </p>
      {may && (
        <div className="grid items-start gap-3 lg:grid-cols-2">
          <Panel title="Claim one">
            <ClaimForm />
          </Panel>
          <Panel title="Claim many">
            <SheetForm />
          </Panel>
        </div>
      )}
      <Panel title={`${many(rows.length, "device")} expected`}>
        {claims.isError ? (
          <Failure error={claims.error} retry={() => void claims.refetch()} />
        ) : (
          <Table
            label="Expected devices"
            columns={columns}
            rows={rows}
            rowKey={(c) => c.serial}
            sort={sort}
            onSort={setSort}
            className="max-h-[calc(100vh-460px)] min-h-[120px]"
            empty={
              <Empty title="No device is expected">
                Claim one by the serial number on its crate; it is listed here until it has called home.
              </Empty>
            }
          />
        )}
      </Panel>
      {drop.error && (
        <p role="alert" className="text-down">
          {drop.error.message}
        </p>
      )}
    </div>
  );
}

function ClaimForm() {
  const [replaces] = useView("replaces"); // whoever comes from the page of a broken device
  const [site] = useView("site"); // or of a new site
  const [v, setV] = useState({ serial: "", name: "", site, like: "", replaces, tags: "" });
  const sites = useList("sites", { sort: "site.title" });
  const devices = useList("devices", { sort: "name", limit: 10_000, fields: "name,model,maker" });
  const claim = useClaim();
  const set = (part: Partial<typeof v>) => setV({ ...v, ...part });
  const problem = claim.error?.message ?? claim.data?.items[0]?.problem;
  const text = (key: "serial" | "name" | "tags", label: string, help?: string) => (
    <Field label={label} help={help}>
      {(id, d) => (
        <input
          id={id}
          aria-describedby={d}
          value={v[key]}
          maxLength={200}
          onChange={(e) => set({ [key]: e.target.value })}
          className={`${inputClass} font-mono`}
        />
      )}
    </Field>
  );
  const device = (key: "like" | "replaces", label: string, help: string, none: string) => (
    <Field label={label} help={help}>
      {(id, d) => (
        <select
          id={id}
          aria-describedby={d}
          value={v[key]}
          onChange={(e) => set({ [key]: e.target.value })}
          className={inputClass}
        >
          <option value="">{none}</option>
          {devices.data?.items.map((x) => (
            <option key={x.name} value={x.name}>
              {x.name}, {x.maker} {x.model}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
  return (
    <form
      className="grid gap-3 p-3"
      onSubmit={(e) => {
        e.preventDefault();
        const { serial, name, site, like, replaces, tags } = v;
        const body = replaces
          ? { serial, replaces }
          : { serial, name, site, like, tags: tags.split(/\s+/).filter(Boolean) };
        claim.mutate([body], {
          onSuccess: (r) => {
            if (!r.items[0]?.problem) set({ serial: "", name: "", replaces: "" });
          },
        });
      }}
    >
      <div className="grid gap-3 sm:grid-cols-2">
        {text("serial", "Serial number", "As it stands on the crate")}
        {device(
          "replaces",
          "Takes the place of",
          "It gets that one's name, place and configuration",
          "no other device",
        )}
        {!v.replaces && (
          <>
            {text("name", "Name")}
            <Field label="Site">
              {(id) => (
                <select id={id} value={v.site} onChange={(e) => set({ site: e.target.value })} className={inputClass}>
                  <option value="">choose a site</option>
                  {sites.data?.items.map((s) => (
                    <option key={s.name} value={s.name}>
                      {s.title}
                    </option>
                  ))}
                </select>
              )}
            </Field>
            {device("like", "Configuration like that of", "Without what its ports are for", "as it comes")}
            {text("tags", "Tags", "Separated by spaces")}
          </>
        )}
      </div>
      {problem && (
        <p role="alert" className="text-down">
          {problem}
        </p>
      )}
      {claim.isSuccess && !problem && <p role="status">The device is claimed. Switch it on when it has arrived.</p>}
      <Button
        kind="main"
        type="submit"
        className="justify-self-start"
        disabled={claim.isPending || !v.serial || (!v.replaces && (!v.name || !v.site))}
      >
        Claim the device
      </Button>
    </form>
  );
}

const example = "serial,name,site,like\nHY24-82113,mp-sw-02,marram-point,fu-sw-01";

function SheetForm() {
  const [text, setText] = useState("");
  const claim = useClaim();
  const sheet = readClaims(text);
  const refused = claim.data?.items.filter((r) => r.problem) ?? [];
  return (
    <form
      className="grid gap-3 p-3"
      onSubmit={(e) => {
        e.preventDefault();
        claim.mutate(sheet.claims, {
          onSuccess: (r) => {
            const bad = new Set(r.items.filter((x) => x.problem).map((x) => x.serial));
            setText(bad.size === 0 ? "" : sheet.keep(bad)); // what was refused stays to be mended
          },
        });
      }}
    >
      <Field
        label="Comma-separated lines, or a table pasted from a sheet"
        help="The first line names the columns: serial, name, site, like, replaces, tags, building, floor, rack, contact, notes"
      >
        {(id, d) => (
          <textarea
            id={id}
            aria-describedby={d}
            value={text}
            rows={6}
            placeholder={example}
            onChange={(e) => setText(e.target.value)}
            className={`${inputClass} h-auto py-1 font-mono text-sm`}
          />
        )}
      </Field>
      {(sheet.fault || claim.error) && (
        <p role="alert" className="text-down">
          {sheet.fault || claim.error?.message}
        </p>
      )}
      {refused.length > 0 && (
        <ul role="alert" className="text-down">
          {refused.slice(0, 8).map((r) => (
            <li key={r.serial}>
              <span className="font-mono">{r.serial}</span>: {r.problem}
            </li>
          ))}
          {refused.length > 8 && <li>and {refused.length - 8} more</li>}
        </ul>
      )}
      {claim.data && (
        <p role="status">
          {claim.data.items.length - refused.length} of {claim.data.items.length} are claimed.
        </p>
      )}
      <Button
        kind="main"
        type="submit"
        className="justify-self-start"
        disabled={claim.isPending || sheet.claims.length === 0 || Boolean(sheet.fault)}
      >
        Claim {sheet.claims.length > 0 ? many(sheet.claims.length, "device") : "them"}
      </Button>
    </form>
  );
}
