import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Pencil, Plus, Route as RouteIcon } from "lucide-react";
import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { allowed, api, type NetworkVLAN, type Person, take, type VLANPlace } from "../../api/client";
import { useAddEdits } from "../../api/queries";
import { useKept, useView } from "../../app/view";
import { Button, Empty, Failure, Field, inputClass, Modal, Panel } from "../../ui/controls";
import { Shape } from "../../ui/health";
import { type Column, Table } from "../../ui/table";
import { many } from "../../ui/time";
import { useBulk, useOwnDraft } from "../settings/queries";

const useVLANs = (where: string) =>
  useQuery({
    queryKey: ["reading", "vlans", where],
    queryFn: () => take(api.GET("/api/v1/vlans", { params: { query: { where } } })),
    placeholderData: (old) => old,
  });

const useVLAN = (id: number) =>
  useQuery({
    queryKey: ["reading", "vlan", id],
    queryFn: () => take(api.GET("/api/v1/vlans/{vlan}", { params: { path: { vlan: id } } })),
    placeholderData: (old) => (old?.id === id ? old : undefined),
    enabled: id > 0,
  });

const columns: Column<NetworkVLAN>[] = [
  { key: "id", head: "VLAN", mono: true, right: true, width: "70px", sort: (v) => v.id, cell: (v) => v.id },
  {
    key: "name",
    head: "Name",
    width: "190px",
    sort: (v) => v.names[0] ?? "",
    cell: (v) => (
      <span title={v.names.join(", ")}>
        {v.names[0] ?? <span className="text-soft">no name</span>}
        {v.names.length > 1 && <span className="text-soft"> and {v.names.length - 1} more</span>}
      </span>
    ),
  },
  { key: "purpose", head: "Purpose", sort: (v) => v.purpose ?? "", cell: (v) => v.purpose },
  { key: "subnets", head: "Subnets", mono: true, sort: (v) => v.subnets ?? "", cell: (v) => v.subnets },
  { key: "devices", head: "Devices", right: true, sort: (v) => v.devices, cell: (v) => v.devices },
  { key: "access", head: "Access ports", right: true, sort: (v) => v.access_ports, cell: (v) => v.access_ports },
  { key: "trunks", head: "Trunks", right: true, sort: (v) => v.trunk_ports, cell: (v) => v.trunk_ports },
  { key: "clients", head: "Clients", right: true, sort: (v) => v.clients, cell: (v) => v.clients },
  {
    key: "carried",
    head: "Carried",
    width: "150px",
    sort: (v) => (v.wanted ? v.missing.length : -1),
    cell: (v) =>
      !v.wanted ? (
        <span className="text-soft">not asked</span>
      ) : (
        <span className="flex items-center gap-1.5">
          <Shape state={v.missing.length > 0 ? "degraded" : "well"} size={11} />
          {v.missing.length > 0 ? `not to ${many(v.missing.length, "device")}` : "where it must be"}
        </span>
      ),
  },
];

/** The VLANs of the network: what each is for, where it is, and whether it gets to where it must be. */
export function VLANsPage({ me }: { me: Person }) {
  const [scope] = useView("scope");
  const vlans = useVLANs(scope);
  const [sort, setSort] = useView("sort", "id");
  const [chosen, setChosen] = useView("vlan");
  const rows = vlans.data?.items ?? [];
  const may = allowed(me, "change", "devices");
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex items-center justify-between">
        <h1 className="text-lg font-semibold">VLANs</h1>
        {may && <MakeDialog me={me} rows={rows} />}
      </div>
      <Panel title={many(rows.length, "VLAN")}>
        {vlans.isError ? (
          <Failure error={vlans.error} retry={() => void vlans.refetch()} />
        ) : (
          <Table
            label="VLANs"
            columns={columns}
            rows={rows}
            rowKey={(v) => String(v.id)}
            sort={sort}
            onSort={setSort}
            selected={new Set([chosen])}
            onRow={(v) => setChosen(String(v.id) === chosen ? "" : String(v.id))}
            className="max-h-[360px]"
            empty={
              vlans.isPending ? null : (
                <Empty title="There are no VLANs">They come with the devices that know them: adopt one.</Empty>
              )
            }
          />
        )}
      </Panel>
      {chosen ? (
        <OneVLAN id={Number(chosen)} me={me} may={may} />
      ) : (
        <p className="text-sm text-soft">
          Pick a VLAN to see where it is, to describe it, or to have it carried further.
        </p>
      )}
    </div>
  );
}

function placeColumns(kept: (path: string) => string): Column<VLANPlace>[] {
  return [
    {
      key: "device",
      head: "Device",
      mono: true,
      sort: (p) => p.device,
      cell: (p) => <Link to={kept(`/devices/${p.device}`)}>{p.device}</Link>,
    },
    { key: "site", head: "Site", sort: (p) => p.site, cell: (p) => p.site },
    { key: "name", head: "Its name there", sort: (p) => p.name, cell: (p) => p.name },
    {
      key: "access",
      head: "Access ports",
      right: true,
      sort: (p) => p.access_ports,
      cell: (p) => p.access_ports || "",
    },
    { key: "trunks", head: "Trunks", right: true, sort: (p) => p.trunk_ports, cell: (p) => p.trunk_ports || "" },
    { key: "clients", head: "Clients", right: true, sort: (p) => p.clients, cell: (p) => p.clients || "" },
  ];
}

function OneVLAN({ id, me, may }: { id: number; me: Person; may: boolean }) {
  const vlan = useVLAN(id);
  const kept = useKept();
  const [sort, setSort] = useView("places", "-access");
  if (vlan.isError) return <Failure error={vlan.error} retry={() => void vlan.refetch()} />;
  const v = vlan.data;
  if (!v) return <p className="text-soft">Reading VLAN {id}…</p>;
  const rows: [string, string | undefined][] = [
    ["Purpose", v.purpose],
    ["Subnets", v.subnets],
    ["Gateways", v.gateways],
    ["Must be on", v.wanted],
  ];
  return (
    <div className="grid items-start gap-3 lg:grid-cols-[minmax(0,2fr)_minmax(0,3fr)]">
      <Panel title={`VLAN ${v.id} ${v.names[0] ?? ""}`} aside={may && <DescribeDialog v={v} />}>
        <dl className="grid grid-cols-[90px_minmax(0,1fr)] gap-y-1 px-3 py-2">
          {rows.map(([what, value]) => (
            <div key={what} className="contents">
              <dt className="text-soft">{what}</dt>
              <dd className={value && what !== "Purpose" ? "break-words font-mono text-sm" : value ? "" : "text-soft"}>
                {value || "not said"}
              </dd>
            </div>
          ))}
        </dl>
        {v.missing.length > 0 && (
          <ul
            className="mx-3 mb-2 max-h-40 overflow-auto rounded border border-degraded px-2 py-1 text-sm"
            aria-label="Where it is missing"
          >
            {v.missing.map((m) => (
              <li key={m.device} className="grid grid-cols-[110px_minmax(0,1fr)] gap-2">
                <Link to={kept(`/devices/${m.device}`)} className="font-mono">
                  {m.device}
                </Link>
                <span>{m.why}</span>
              </li>
            ))}
          </ul>
        )}
        <div className="flex flex-wrap gap-2 px-3 pb-3">
          {may && <CarryDialog v={v} me={me} />}
          <Link to={kept(`/map?vlan=${v.id}`)} className="inline-flex h-7 items-center px-1">
            See it on the map
          </Link>
          <Link
            to={`/ports?scope=${encodeURIComponent(`port.vlan = ${v.id}`)}`}
            className="inline-flex h-7 items-center px-1"
          >
            Its ports
          </Link>
        </div>
      </Panel>
      <Panel title={`On ${many(v.places?.length ?? 0, "device")}`}>
        <Table
          label={`Devices that know VLAN ${v.id}`}
          columns={placeColumns(kept)}
          rows={v.places ?? []}
          rowKey={(p) => p.device}
          sort={sort}
          onSort={setSort}
          className="max-h-[360px]"
          empty={<Empty title="No device knows it">Make it on a device, or have it carried somewhere.</Empty>}
        />
      </Panel>
    </div>
  );
}

function DescribeDialog({ v }: { v: NetworkVLAN }) {
  const [open, setOpen] = useState(false);
  const qc = useQueryClient();
  const [body, setBody] = useState({ purpose: "", subnets: "", gateways: "", wanted: "" });
  const save = useMutation({
    mutationFn: () => take(api.PUT("/api/v1/vlans/{vlan}", { params: { path: { vlan: v.id } }, body })),
    onSuccess: () => {
      setOpen(false);
      void qc.invalidateQueries({ queryKey: ["reading"] });
    },
  });
  const fields: [keyof typeof body, string, string][] = [
    ["purpose", "Purpose", "What it is for, in a few words"],
    ["subnets", "Subnets", "Separated by commas: 10.2.40.0/24"],
    ["gateways", "Gateways", "Each in one of the subnets"],
    ["wanted", "Must be on", "A selector of devices: site = tern-haven and kind = switch"],
  ];
  return (
    <>
      <Button
        kind="quiet"
        className="!h-6 text-buff-ink"
        onClick={() => {
          setBody({
            purpose: v.purpose ?? "",
            subnets: v.subnets ?? "",
            gateways: v.gateways ?? "",
            wanted: v.wanted ?? "",
          });
          save.reset();
          setOpen(true);
        }}
      >
        <Pencil size={13} aria-hidden /> Describe
      </Button>
      <Modal
        open={open}
        onOpenChange={setOpen}
        title={`Describe VLAN ${v.id}`}
        description="For people and for checks: no device is told any of this. Its name is set on the devices."
      >
        <form
          className="grid gap-2"
          onSubmit={(e: FormEvent) => {
            e.preventDefault();
            save.mutate();
          }}
        >
          {fields.map(([key, label, help]) => (
            <Field key={key} label={label} help={help}>
              {(id, by) => (
                <input
                  id={id}
                  aria-describedby={by}
                  className={inputClass}
                  value={body[key]}
                  onChange={(e) => setBody({ ...body, [key]: e.target.value })}
                />
              )}
            </Field>
          ))}
          {save.isError && (
            <p role="alert" className="text-down">
              {save.error.message}
            </p>
          )}
          <div className="flex justify-end gap-2">
            <Button onClick={() => setOpen(false)}>Cancel</Button>
            <Button type="submit" kind="main" disabled={save.isPending}>
              Save
            </Button>
          </div>
        </form>
      </Modal>
    </>
  );
}

const useDeviceNames = () =>
  useQuery({
    queryKey: ["reading", "device-names"],
    queryFn: () => take(api.GET("/api/v1/devices", { params: { query: { fields: "name", limit: 10000 } } })),
  });

/** A field for the name of a device, with all names offered. */
function DeviceField({
  label,
  help,
  value,
  set,
}: {
  label: string;
  help: string;
  value: string;
  set: (v: string) => void;
}) {
  const names = useDeviceNames();
  return (
    <Field label={label} help={help}>
      {(id, by) => (
        <>
          <input
            id={id}
            aria-describedby={by}
            list={`${id}-names`}
            className={`${inputClass} font-mono`}
            value={value}
            onChange={(e) => set(e.target.value)}
          />
          <datalist id={`${id}-names`}>
            {names.data?.items.map((d) => (
              <option key={d.name} value={d.name} />
            ))}
          </datalist>
        </>
      )}
    </Field>
  );
}

function CarryDialog({ v, me }: { v: NetworkVLAN; me: Person }) {
  const [open, setOpen] = useState(false);
  const [from, setFrom] = useState("");
  const [to, setTo] = useState("");
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const add = useAddEdits();
  const ask = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/v1/vlans/{vlan}/carriage", {
          params: { path: { vlan: v.id } },
          body: { from, to, change: draft },
        }),
      ),
  });
  const p = ask.data;
  const change = (f: (s: string) => void) => (s: string) => {
    f(s.trim());
    ask.reset();
  };
  return (
    <>
      <Button onClick={() => setOpen(true)}>
        <RouteIcon size={14} aria-hidden /> Carry it from here to there…
      </Button>
      <Modal
        open={open}
        onOpenChange={setOpen}
        wide
        title={`Carry VLAN ${v.id} from here to there`}
        description="On every trunk of every way between two devices, and on no other port. It is made where it is not known yet."
      >
        <form
          className="grid gap-2"
          onSubmit={(e: FormEvent) => {
            e.preventDefault();
            ask.mutate();
          }}
        >
          <div className="grid grid-cols-2 gap-3">
            <DeviceField label="From" help="A device" value={from} set={change(setFrom)} />
            <DeviceField label="To" help="Another device" value={to} set={change(setTo)} />
          </div>
          {ask.isError && (
            <p role="alert" className="text-down">
              {ask.error.message}
            </p>
          )}
          {p && (
            <div className="rounded border border-rule px-2 py-1.5 text-sm">
              <p>
                {many(p.links.length, "link")} on the ways between them, {many(p.edits.length, "edit")}:
              </p>
              <ul className="mt-1 max-h-40 overflow-auto font-mono">
                {p.edits.map((e) => (
                  <li key={`${e.port} ${e.field}`}>
                    {e.port} {e.field}={e.value}
                  </li>
                ))}
              </ul>
              {p.edits.length === 0 && <p>It is carried on all of them already.</p>}
              {p.notes.map((n) => (
                <p key={n} className="mt-1 text-down">
                  {n}
                </p>
              ))}
            </div>
          )}
          <div className="flex justify-end gap-2">
            <Button onClick={() => setOpen(false)}>Cancel</Button>
            {p && p.edits.length > 0 ? (
              <Button
                kind="main"
                disabled={add.isPending}
                onClick={() =>
                  add.mutate(
                    { draft, edits: p.edits },
                    {
                      onSuccess: (c) => {
                        setOpen(false);
                        setTray(String(c.number));
                      },
                    },
                  )
                }
              >
                {draft ? `Add to draft ${draft}` : "Put into a new draft"}
              </Button>
            ) : (
              <Button type="submit" kind="main" disabled={!from || !to || ask.isPending}>
                Show what it takes
              </Button>
            )}
          </div>
        </form>
      </Modal>
    </>
  );
}

/** Makes a VLAN on the devices that a selector picks. */
function MakeDialog({ me, rows }: { me: Person; rows: NetworkVLAN[] }) {
  const [open, setOpen] = useState(false);
  const [id, setID] = useState("");
  const [name, setName] = useState("");
  const [where, setWhere] = useState("kind = switch");
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const bulk = useBulk();
  const make = useMutation({
    mutationFn: async () => {
      const devices = await take(
        api.GET("/api/v1/devices", { params: { query: { where, fields: "name", limit: 10000 } } }),
      );
      if (devices.items.length === 0) throw new Error("No device fits the selector.");
      const set: Record<string, string> = name.trim() ? { present: "on", name } : { present: "on" };
      return bulk.mutateAsync({ change: draft, on: devices.items.map((d) => `${d.name}:vlan/${id.trim()}`), set });
    },
    onSuccess: (a) => {
      const n = a.results.filter((r) => r.outcome === "set").length;
      if (!a.change) {
        toast.error(a.results[0]?.why ?? "All of them have it already.");
        return;
      }
      toast(`${many(n, "device")} in draft ${a.change.number}.`);
      setOpen(false);
      setTray(String(a.change.number));
    },
  });
  const taken = rows.find((v) => String(v.id) === id.trim());
  return (
    <>
      <Button kind="main" onClick={() => setOpen(true)}>
        <Plus size={15} aria-hidden /> Make a VLAN
      </Button>
      <Modal
        open={open}
        onOpenChange={setOpen}
        title="Make a VLAN on devices"
        description="It goes into the draft of every device that the selector picks. No port is put into it yet."
      >
        <form
          className="grid gap-2"
          onSubmit={(e: FormEvent) => {
            e.preventDefault();
            make.mutate();
          }}
        >
          <div className="grid grid-cols-[100px_minmax(0,1fr)] gap-3">
            <Field label="Number" help={taken ? `is there: ${taken.names[0] ?? "no name"}` : "1 to 4094"}>
              {(fid, by) => (
                <input
                  id={fid}
                  aria-describedby={by}
                  inputMode="numeric"
                  className={inputClass}
                  value={id}
                  onChange={(e) => setID(e.target.value)}
                />
              )}
            </Field>
            <Field label="Name" help="What the devices are to call it">
              {(fid, by) => (
                <input
                  id={fid}
                  aria-describedby={by}
                  className={inputClass}
                  value={name}
                  onChange={(e) => setName(e.target.value)}
                />
              )}
            </Field>
          </div>
          <Field label="On" help="A selector of devices: site = tern-haven and kind = switch">
            {(fid, by) => (
              <input
                id={fid}
                aria-describedby={by}
                className={`${inputClass} font-mono`}
                value={where}
                onChange={(e) => setWhere(e.target.value)}
              />
            )}
          </Field>
          {make.isError && (
            <p role="alert" className="text-down">
              {make.error.message}
            </p>
          )}
          <div className="flex justify-end gap-2">
            <Button onClick={() => setOpen(false)}>Cancel</Button>
            <Button type="submit" kind="main" disabled={!id.trim() || !where.trim() || make.isPending}>
              {draft ? `Add to draft ${draft}` : "Put into a new draft"}
            </Button>
          </div>
        </form>
      </Modal>
    </>
  );
}
