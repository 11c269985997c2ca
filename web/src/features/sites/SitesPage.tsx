import { Plus } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { allowed, type Person, type Site } from "../../api/client";
import { useList } from "../../api/lists";
import { useMergeSite, usePutSite, useRemoveSite } from "../../api/queries";
import { Grid, type GridColumn } from "../../app/Grid";
import { useScope, useView } from "../../app/view";
import { Button, Empty, Field, inputClass, Modal } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { many } from "../../ui/time";
import { SiteLayerDialog } from "./SiteLayerDialog";

function columns(edit?: (s: Site) => void, layer?: (s: Site) => void): GridColumn<Site>[] {
  return [
    {
      key: "title",
      head: "Site",
      field: "site.title",
      width: 210,
      text: (s) => s.title,
      cell: (s) =>
        edit ? (
          <button type="button" className="truncate text-left text-accent hover:underline" onClick={() => edit(s)}>
            {s.title}
          </button>
        ) : (
          s.title
        ),
    },
    { key: "name", head: "Name", field: "site", width: 124, mono: true, text: (s) => s.name },
    { key: "code", head: "Code", field: "site.code", width: 62, text: (s) => s.code ?? "" },
    { key: "address", head: "Address", field: "site.address", width: 200, text: (s) => s.address ?? "" },
    { key: "contact", head: "Contact", field: "site.contact", width: 160, text: (s) => s.contact ?? "" },
    {
      key: "devices",
      head: "Devices",
      width: 134,
      text: (s) => String(s.devices.total),
      cell: (s) => (
        <span className="flex justify-between gap-2">
          <Link to={`/devices?scope=${encodeURIComponent(`site = ${s.name}`)}`}>{many(s.devices.total, "device")}</Link>
          {s.devices.total > 0 && (
            <Link to={`/setup?site=${s.name}`} aria-label={`Set up ${s.title}`}>
              set up
            </Link>
          )}
        </span>
      ),
    },
    {
      key: "health",
      head: "State",
      width: 200,
      text: (s) => `${s.devices.well} well, ${s.devices.degraded} degraded, ${s.devices.down} down`,
      cell: (s) => (
        <span className="flex gap-3">
          {(["down", "degraded", "unknown", "well"] as const).map(
            (h) => s.devices[h] > 0 && <HealthMark key={h} state={h} word={`${s.devices[h]} ${h}`} />,
          )}
        </span>
      ),
    },
    ...(layer
      ? [
          {
            key: "layer",
            head: "For all devices",
            width: 120,
            text: () => "",
            cell: (s: Site) => (
              <button type="button" className="text-accent hover:underline" onClick={() => layer(s)}>
                Settings<span className="sr-only"> for all devices of {s.title}</span>
              </button>
            ),
          },
        ]
      : []),
    { key: "zone", head: "Time zone", width: 110, extra: true, text: (s) => s.time_zone ?? "" },
    { key: "entry", head: "Entry", width: 110, mono: true, extra: true, text: (s) => s.entry ?? "" },
    { key: "notes", head: "Notes", width: 200, extra: true, text: (s) => s.notes ?? "" },
  ];
}

export function SitesPage({ me }: { me: Person }) {
  const [scope, setScope] = useScope();
  const [editing, setEditing] = useState<Site | "new" | null>(null);
  const [layer, setLayer] = useState<Site | null>(null);
  const may = allowed(me, "administer", "sites");
  const sets = allowed(me, "change", "devices");
  const [own] = useState(() => columns(may ? setEditing : undefined, sets ? setLayer : undefined));
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex items-center justify-between">
        <h1 className="text-lg font-semibold">Sites</h1>
        {may && (
          <Button kind="main" onClick={() => setEditing("new")}>
            <Plus size={15} aria-hidden /> Make a site
          </Button>
        )}
      </div>
      <Grid
        noun="sites"
        title={(total, all) => (scope ? `${total} of ${many(all, "site")}` : many(total, "site"))}
        where={scope}
        columns={own}
        rowKey={(s) => s.name}
        defaultSort="title"
        className="max-h-[calc(100vh-216px)]"
        empty={
          scope ? (
            <Empty title="No site is in the scope">
              <Button onClick={() => setScope("")}>Clear the scope</Button>
            </Empty>
          ) : (
            <Empty title="There are no sites yet">A site is a place with devices. Make the first one.</Empty>
          )
        }
      />
      {layer && <SiteLayerDialog site={layer} me={me} close={() => setLayer(null)} />}
      {editing && (
        <SiteDialog
          key={editing === "new" ? "" : editing.name}
          site={editing === "new" ? null : editing}
          close={() => setEditing(null)}
        />
      )}
    </div>
  );
}

const slug = (s: string) =>
  s
    .toLowerCase()
    .normalize("NFKD")
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 63);

function SiteDialog({ site, close }: { site: Site | null; close: () => void }) {
  const [title, setTitle] = useState(site?.title ?? "");
  const [name, setName] = useState(site?.name ?? "");
  const [code, setCode] = useState(site?.code ?? "");
  const [address, setAddress] = useState(site?.address ?? "");
  const [contact, setContact] = useState(site?.contact ?? "");
  const [zone, setZone] = useState(site?.time_zone ?? Intl.DateTimeFormat().resolvedOptions().timeZone);
  const [place, setPlace] = useState(site?.position ? `${site.position.latitude}, ${site.position.longitude}` : "");
  const [entry, setEntry] = useState(site?.entry ?? "");
  const [notes, setNotes] = useState(site?.notes ?? "");
  const [leaving, setLeaving] = useState(false);
  const [fault, setFault] = useState("");
  const [made, setMade] = useState("");
  const put = usePutSite();
  const text = (label: string, value: string, set: (v: string) => void, help: string, mono = false) => (
    <Field label={label} help={help}>
      {(id, d) => (
        <input
          id={id}
          aria-describedby={d}
          value={value}
          maxLength={100}
          onChange={(e) => set(e.target.value)}
          className={`${inputClass} ${mono ? "font-mono" : ""}`}
        />
      )}
    </Field>
  );
  const save = () => {
    const [north, east] = place
      .split(/[,\s]+/)
      .filter(Boolean)
      .map(Number);
    if (place.trim() && (north === undefined || east === undefined || Number.isNaN(north) || Number.isNaN(east))) {
      setFault("The position is latitude and longitude in degrees, such as 56.46, -5.60.");
      return;
    }
    setFault("");
    put.mutate(
      {
        name: site?.name ?? (name || slug(title)),
        body: {
          title,
          code,
          address,
          contact,
          time_zone: zone,
          entry,
          notes,
          position: north !== undefined && east !== undefined ? { latitude: north, longitude: east } : undefined,
        },
      },
      { onSuccess: () => (site ? close() : setMade(name || slug(title))) },
    );
  };
  if (made) return <FirstDevices site={made} title={title} close={close} />;
  return (
    <Modal
      open
      onOpenChange={close}
      wide
      title={site ? site.title : "Make a site"}
      description={
        site
          ? `Details of ${site.name}.`
          : "A place with devices. Only its title is needed; the rest helps people to find it."
      }
    >
      <form
        onSubmit={(e) => {
          e.preventDefault();
          save();
        }}
        className="grid gap-3"
      >
        <div className="grid gap-3 sm:grid-cols-2">
          {text("Title", title, setTitle, "As people say it")}
          {site ? (
            <Field label="Name" help="It stands in addresses of pages and stays">
              {(id, d) => (
                <input id={id} aria-describedby={d} value={site.name} disabled className={`${inputClass} font-mono`} />
              )}
            </Field>
          ) : (
            text(
              "Name",
              name || slug(title),
              setName,
              "Small letters, digits and hyphens; it cannot be changed later",
              true,
            )
          )}
          {text("Code", code, setCode, "On labels; device names that begin with it are proposed for this site")}
          {text("Contact", contact, setContact, "Who to ask there")}
          {text("Address", address, setAddress, "Postal")}
          {text("Time zone", zone, setZone, "Such as Europe/London")}
          {text("Position", place, setPlace, "Latitude, longitude in degrees; north and east are positive")}
          {text("Entry", entry, setEntry, "Device through which the management network comes in", true)}
        </div>
        <Field label="Notes">
          {(id, d) => (
            <textarea
              id={id}
              aria-describedby={d}
              value={notes}
              maxLength={4000}
              rows={3}
              onChange={(e) => setNotes(e.target.value)}
              className={`${inputClass} h-auto py-1`}
            />
          )}
        </Field>
        {(fault || put.error) && (
          <p role="alert" className="text-down">
            {fault || put.error?.message}
          </p>
        )}
        <div className="flex items-center gap-2">
          {site && (
            <Button kind="danger" onClick={() => setLeaving(true)}>
              Remove or merge…
            </Button>
          )}
          <span className="grow" />
          <Button onClick={close}>Leave it</Button>
          <Button kind="main" type="submit" disabled={put.isPending || !title.trim()}>
            {site ? "Keep" : "Make it"}
          </Button>
        </div>
      </form>
      {site && leaving && <Leave site={site} close={close} />}
    </Modal>
  );
}

/** The last step of making a site: how its first devices come. */
function FirstDevices({ site, title, close }: { site: string; title: string; close: () => void }) {
  const ways = [
    {
      to: `/expected?site=${site}`,
      what: "Claim them by their serial numbers",
      why: "They are not there yet, or not set up: switched on, they come by themselves, configured.",
    },
    {
      to: "/discover",
      what: "Search from an address",
      why: "They are there and set up: give the address of one, and its neighbours lead to the rest.",
    },
    {
      to: `/devices?enrol=1&site=${site}`,
      what: "Enrol one by its address",
      why: "You know the address of a single one.",
    },
  ];
  return (
    <Modal
      open
      onOpenChange={close}
      wide
      title={`${title} is made`}
      description="How do its first devices come? You can do this later too, under Devices."
    >
      <ul className="grid gap-2">
        {ways.map((w) => (
          <li key={w.to}>
            <Link
              to={w.to}
              onClick={close}
              className="block rounded border border-rule bg-raised px-3 py-2 text-ink hover:border-accent hover:no-underline"
            >
              <span className="block font-medium text-accent">{w.what}</span>
              <span className="block text-sm text-soft">{w.why}</span>
            </Link>
          </li>
        ))}
      </ul>
      <div className="mt-3 flex justify-end">
        <Button onClick={close}>Later</Button>
      </div>
    </Modal>
  );
}

function Leave({ site, close }: { site: Site; close: () => void }) {
  const [into, setInto] = useView("into");
  const others = useList("sites", { sort: "site.title" });
  const remove = useRemoveSite();
  const merge = useMergeSite();
  const error = remove.error ?? merge.error;
  const done = () => {
    setInto("");
    close();
  };
  return (
    <div className="mt-4 grid gap-2 rounded border border-down p-3">
      {site.devices.total === 0 ? (
        <p>
          The site holds no devices. Removing it forgets what is written above; what happened there stays in the log.
        </p>
      ) : (
        <p>
          The site holds {many(site.devices.total, "device")}. They must go somewhere: merging moves all of them to
          another site and removes this one.
        </p>
      )}
      {error && (
        <p role="alert" className="text-down">
          {error.message}
        </p>
      )}
      <div className="flex flex-wrap items-center gap-2">
        {site.devices.total === 0 && (
          <Button
            kind="danger"
            disabled={remove.isPending}
            onClick={() => remove.mutate(site.name, { onSuccess: done })}
          >
            Remove {site.title}
          </Button>
        )}
        <label className="flex items-center gap-2">
          or merge into
          <select value={into} onChange={(e) => setInto(e.target.value)} className={`${inputClass} w-52`}>
            <option value="">choose a site</option>
            {others.data?.items
              .filter((s) => s.name !== site.name)
              .map((s) => (
                <option key={s.name} value={s.name}>
                  {s.title}
                </option>
              ))}
          </select>
        </label>
        <Button
          kind="danger"
          disabled={!into || merge.isPending}
          onClick={() => merge.mutate({ name: site.name, into }, { onSuccess: done })}
        >
          Merge
        </Button>
      </div>
    </div>
  );
}
