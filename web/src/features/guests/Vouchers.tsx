import { Plus } from "lucide-react";
import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import { allowed, type GuestVoucher, type Person } from "../../api/client";
import { useView } from "../../app/view";
import { Button, Empty, Failure, Field, inputClass, Modal, Panel } from "../../ui/controls";
import { type Column, Table } from "../../ui/table";
import { dayTime, many } from "../../ui/time";
import { lasting } from "./Portals";
import { useMakeVouchers, usePortals, useTakeVoucher, useVouchers } from "./queries";

/** Vouchers of the portals that ask for one: who has one is let in, once. */
export function Vouchers({ me }: { me: Person }) {
  const portals = usePortals();
  const [picked, pick] = useView("portal");
  const of = portals.data?.items.filter((p) => p.way === "voucher") ?? [];
  const portal = of.find((p) => p.name === picked) ?? of[0];
  const list = useVouchers(portal?.name ?? "");
  const [making, setMaking] = useState(false);
  const [sort, setSort] = useView("vsort", "");
  const take = useTakeVoucher();
  const may = allowed(me, "operate", "guests");
  const columns: Column<GuestVoucher>[] = [
    { key: "code", head: "Code", mono: true, cell: (v) => `…${v.ends_with}` },
    { key: "state", head: "Stands", sort: (v) => v.state, cell: (v) => v.state.replace("-", " ") },
    { key: "label", head: "For", sort: (v) => v.label ?? "", cell: (v) => v.label },
    { key: "minutes", head: "Lets in for", right: true, sort: (v) => v.minutes, cell: (v) => lasting(v.minutes) },
    { key: "by", head: "Made by", sort: (v) => v.made_by, cell: (v) => v.made_by },
    { key: "made", head: "Made", sort: (v) => v.made_at, cell: (v) => dayTime(v.made_at) },
    { key: "good", head: "Good to", sort: (v) => v.good_to, cell: (v) => dayTime(v.good_to) },
    { key: "used", head: "Used", sort: (v) => v.used_at ?? "", cell: (v) => v.used_at && dayTime(v.used_at) },
    {
      key: "take",
      head: "",
      right: true,
      cell: (v) =>
        may && v.state === "unused" ? (
          <Button
            className="!h-6"
            disabled={take.isPending}
            onClick={() => portal && take.mutate({ name: portal.name, number: v.number })}
          >
            Take back
          </Button>
        ) : null,
    },
  ];
  const failed = portals.error ?? list.error;
  if (failed) return <Failure error={failed} retry={() => void list.refetch()} />;
  if (portals.data && !portal)
    return (
      <Empty title="No portal asks for vouchers">
        Make one whose guests must have a voucher, or change what an existing one asks for: see Portals.
      </Empty>
    );
  return (
    <Panel
      title={
        of.length > 1 ? (
          <select
            aria-label="Portal"
            className={`${inputClass} !w-auto`}
            value={portal?.name}
            onChange={(e) => pick(e.target.value)}
          >
            {of.map((p) => (
              <option key={p.name}>{p.name}</option>
            ))}
          </select>
        ) : (
          `${many(list.data?.items.length ?? 0, "voucher")} of ${portal?.name ?? ""}`
        )
      }
      aside={
        may && (
          <Button kind="main" onClick={() => setMaking(true)}>
            <Plus size={15} aria-hidden /> Make vouchers…
          </Button>
        )
      }
    >
      <Table
        label="Vouchers"
        columns={columns}
        rows={list.data?.items ?? []}
        rowKey={(v) => String(v.number)}
        sort={sort}
        onSort={setSort}
        className="max-h-[calc(100vh-200px)]"
        empty={list.data ? <Empty title="There are no vouchers yet" /> : null}
      />
      {making && portal && (
        <MakeDialog portal={portal.name} minutes={portal.minutes ?? 240} close={() => setMaking(false)} />
      )}
    </Panel>
  );
}

function MakeDialog({ portal, minutes, close }: { portal: string; minutes: number; close: () => void }) {
  const [v, setV] = useState({ count: "10", minutes: String(minutes), days: "30", label: "" });
  const make = useMakeVouchers();
  const codes = make.data?.codes;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    make.mutate({
      name: portal,
      body: {
        count: Number(v.count),
        minutes: Number(v.minutes),
        days: Number(v.days),
        label: v.label.trim() || undefined,
      },
    });
  };
  const text = codes?.join("\n") ?? "";
  const field = (name: keyof typeof v, label: string, help: string, most?: number) => (
    <Field label={label} help={help}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          type={most ? "number" : "text"}
          min={1}
          max={most}
          maxLength={80}
          required={most !== undefined}
          className={inputClass}
          value={v[name]}
          onChange={(e) => setV({ ...v, [name]: e.target.value })}
        />
      )}
    </Field>
  );
  return (
    <Modal
      open
      onOpenChange={close}
      title={codes ? `${many(codes.length, "voucher")} for ${portal}` : "Make vouchers"}
      description={
        codes
          ? "These codes are shown this once: nobody can read them again."
          : "Each lets one guest in, once. The codes are shown when they are made, and not kept."
      }
    >
      {codes ? (
        <div className="grid gap-2">
          <textarea
            aria-label="Codes"
            readOnly
            rows={Math.min(codes.length, 14)}
            className={`${inputClass} !h-auto font-mono`}
            value={text}
          />
          <div className="flex justify-end gap-2">
            <Button
              onClick={() =>
                void navigator.clipboard.writeText(text).then(
                  () => toast.success("Copied"),
                  () => toast.error("The browser does not let it be copied: mark the text and copy it."),
                )
              }
            >
              Copy
            </Button>
            <a
              className="inline-flex h-7 items-center rounded-sm border border-rule px-2.5 text-accent"
              href={`data:text/plain;charset=utf-8,${encodeURIComponent(`${text}\n`)}`}
              download={`vouchers-${portal}.txt`}
            >
              As a file
            </a>
            <Button kind="main" onClick={close}>
              Done
            </Button>
          </div>
        </div>
      ) : (
        <form onSubmit={submit} className="grid gap-2 sm:grid-cols-2">
          {field("count", "How many", "at most 1000", 1000)}
          {field("minutes", "Lets in for", "minutes", 527_040)}
          {field("days", "Good for", "days within which it must be used", 366)}
          {field("label", "For", "such as press trip")}
          <div className="flex justify-end gap-2 sm:col-span-2">
            <Button onClick={close}>Leave it</Button>
            <Button type="submit" kind="main" disabled={make.isPending}>
              Make them
            </Button>
          </div>
        </form>
      )}
    </Modal>
  );
}
