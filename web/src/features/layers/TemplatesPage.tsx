import { clsx } from "clsx";
import { Plus, Trash2 } from "lucide-react";
import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { allowed, type Person, type Template } from "../../api/client";
import { useReading } from "../../api/lists";
import { useView } from "../../app/view";
import { Button, Empty, Failure, Field, inputClass, Modal, Panel } from "../../ui/controls";
import { type Column, Table } from "../../ui/table";
import { many } from "../../ui/time";
import { layerWord } from "../settings/layer";
import { useBulk, useOwnDraft } from "../settings/queries";
import { SettingsForm } from "../settings/SettingsForm";
import { LayerSettings } from "./LayerSettings";
import { useTemplate, useTemplates } from "./queries";

/** Sets of settings for all that a selector picks, and how far they hold. */
export function TemplatesPage({ me }: { me: Person }) {
  const draft = useOwnDraft(me);
  const templates = useTemplates(draft);
  const [chosen, setChosen] = useView("template");
  const [making, setMaking] = useState(false);
  const may = allowed(me, "change", "templates");
  const list = templates.data?.items ?? [];
  const name = list.some((t) => t.name === chosen) ? chosen : (list[0]?.name ?? "");
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex flex-wrap items-center justify-between gap-x-4">
        <div className="flex flex-wrap items-baseline gap-x-3">
          <h1 className="text-lg font-semibold">Templates</h1>
          <p className="text-sm text-soft">
            What holds of a setting: its default, then templates from the top down, then the site, then the device.
          </p>
        </div>
        {may && (
          <Button kind="main" onClick={() => setMaking(true)}>
            <Plus size={15} aria-hidden /> Make a template
          </Button>
        )}
      </div>
      {templates.isError ? (
        <Failure error={templates.error} retry={() => void templates.refetch()} />
      ) : templates.data && list.length === 0 ? (
        <Panel title="No templates">
          <Empty title="There are no templates yet">
            A template says once what all cameras, desks or switches are to have. Make the first one.
          </Empty>
        </Panel>
      ) : (
        <div className="grid items-start gap-3 xl:grid-cols-[minmax(0,330px)_minmax(0,1fr)]">
          <Panel title={many(list.length, "template")} aside="the weakest first">
            <ol className="divide-y divide-rule/60">
              {list.map((t) => (
                <li key={t.name}>
                  <button
                    type="button"
                    aria-current={t.name === name}
                    onClick={() => setChosen(t.name)}
                    className="grid w-full grid-cols-[34px_minmax(0,1fr)_auto] items-baseline gap-x-2 border-l-2 border-transparent px-2 py-1 text-left hover:bg-ground aria-[current=true]:border-accent aria-[current=true]:bg-buff aria-[current=true]:text-buff-ink"
                  >
                    <span className="text-right font-mono text-xs text-soft">{t.order}</span>
                    <span className="truncate font-medium">{t.title || t.name}</span>
                    <span className="text-sm text-soft">
                      {many(t.picks, t.for === "ports" ? "port" : "device")}
                      {t.others > 0 && `, ${t.others} stronger`}
                    </span>
                  </button>
                </li>
              ))}
            </ol>
          </Panel>
          {name && <One key={name} name={name} me={me} may={may} draft={draft} />}
        </div>
      )}
      {making && (
        <MakeDialog
          draft={draft}
          taken={list.map((t) => t.name)}
          close={() => setMaking(false)}
          made={(n) => setChosen(n)}
        />
      )}
    </div>
  );
}

const views = ["says", "picks", "is"] as const;

function One({ name, me, may, draft }: { name: string; me: Person; may: boolean; draft: number | undefined }) {
  const template = useTemplate(name, draft);
  const [view, setView] = useView("view", "says");
  const bulk = useBulk();
  const [, setTray] = useView("tray");
  if (template.isError) return <Failure error={template.error} retry={() => void template.refetch()} />;
  const t = template.data;
  if (!t) return <p className="text-soft">Reading {name}…</p>;
  const things = t.for === "ports" ? "port" : "device";
  const word = { says: "Settings", picks: `Applies to (${t.picks})`, is: "About" };
  return (
    <Panel
      title={
        <span>
          {t.title || t.name} <span className="font-mono font-normal">{t.name}</span>
        </span>
      }
      aside={
        may && (
          <Button
            kind="quiet"
            className="!h-6 text-buff-ink"
            disabled={bulk.isPending}
            onClick={() =>
              bulk.mutate(
                { change: draft, on: [`template/${name}:self`], set: { present: "off" } },
                { onSuccess: (a) => a.change && setTray(String(a.change.number)) },
              )
            }
          >
            <Trash2 size={13} aria-hidden /> Remove
          </Button>
        )
      }
    >
      <div className="grid gap-3 p-3">
        <p className="text-sm">
          For every {things} with{" "}
          <code className="break-words rounded-sm bg-ground px-1 font-mono">{t.pick || "nothing yet"}</code>:{" "}
          {many(t.picks, things)}
          {t.for === "ports" && ` on ${many(t.devices, "device")}`}
          {t.others > 0 && `; of ${many(t.others, "setting")} a stronger layer speaks`}.
        </p>
        <fieldset className="flex flex-wrap gap-1" aria-label="Of the template">
          {views.map((v) => (
            <button
              key={v}
              type="button"
              aria-pressed={v === view}
              onClick={() => setView(v)}
              className="h-6 rounded-sm border border-rule px-2 text-sm hover:border-soft aria-pressed:border-accent aria-pressed:font-semibold"
            >
              {word[v]}
            </button>
          ))}
        </fieldset>
        {view === "picks" ? (
          <Picks t={t} may={may} draft={draft} />
        ) : !may ? (
          <Said t={t} />
        ) : view === "is" ? (
          <SettingsForm on={[`template/${name}:self`]} me={me} hide={["present"]} />
        ) : (
          <>
            {t.for === "ports" && <Said t={t} />}
            <LayerSettings owner={`template/${name}`} ports={t.for === "ports"} says={t.says} me={me} />
          </>
        )}
      </div>
    </Panel>
  );
}

/** What a template says, in short. */
function Said({ t }: { t: Template }) {
  if (t.says.length === 0) return <p className="text-soft">Nothing is set in it yet.</p>;
  return (
    <ul className="flex flex-wrap gap-1.5">
      {t.says
        .filter((w) => w.setting !== "present")
        .map((w) => (
          <li
            key={`${w.object} ${w.setting}`}
            title={w.change ? `by change ${w.change}` : undefined}
            className="max-w-full truncate rounded-sm border border-rule px-1.5 font-mono text-sm"
          >
            {w.object && w.object !== "port" ? `${w.object} ` : ""}
            <span className="text-soft">{w.setting}</span> {w.value || "empty"}
          </li>
        ))}
    </ul>
  );
}

type PickedRow = NonNullable<Template["picked"]>[number];

const pickColumns: Column<PickedRow>[] = [
  {
    key: "on",
    head: "Picked",
    mono: true,
    width: "200px",
    sort: (p) => p.on,
    cell: (p) => {
      const [device, port] = p.on.split(":");
      return (
        <Link to={`/devices/${device}${port ? `?sel=${encodeURIComponent(port)}` : "?tab=settings"}`}>{p.on}</Link>
      );
    },
  },
  {
    key: "others",
    head: "Stronger layers say",
    sort: (p) => -p.others.length,
    cell: (p) =>
      p.others.length === 0 ? (
        <span className="text-soft">follows in all</span>
      ) : (
        p.others
          .map((o) => `${o.object ? `${o.object} ` : ""}${o.setting} ${o.value || "empty"} (${layerWord(o.layer)})`)
          .join(", ")
      ),
  },
];

function Picks({ t, may, draft }: { t: Template; may: boolean; draft: number | undefined }) {
  const [sort, setSort] = useView("sort", "others");
  const [, setTray] = useView("tray");
  const bulk = useBulk();
  const rows = t.picked ?? [];
  const own = rows.flatMap((p) => {
    const by = new Map<string, string[]>();
    for (const o of p.others.filter((o) => o.layer === "device")) {
      const on = o.object ? `${p.on}:${o.object}` : p.on;
      by.set(on, [...(by.get(on) ?? []), o.setting]);
    }
    return [...by].map(([on, inherit]) => ({ on: [on], inherit }));
  });
  return (
    <div className="grid gap-2">
      <Table
        label={`What ${t.name} picks`}
        columns={pickColumns}
        rows={rows}
        rowKey={(p) => p.on}
        sort={sort}
        onSort={setSort}
        className="max-h-[420px]"
        empty={<Empty title="It picks nothing">Under “What it is” a selector says what follows it.</Empty>}
      />
      {may && own.length > 0 && (
        <div className="flex items-center gap-3">
          <Button
            disabled={bulk.isPending}
            onClick={() =>
              bulk.mutate(
                { change: draft, rows: own },
                { onSuccess: (a) => a.change && setTray(String(a.change.number)) },
              )
            }
          >
            Have all of them follow it
          </Button>
          <span className="text-sm text-soft">
            {many(own.length, "thing")} would have no value of their own any more; a draft shows what that changes.
          </span>
        </div>
      )}
    </div>
  );
}

function MakeDialog({
  draft,
  taken,
  close,
  made,
}: {
  draft: number | undefined;
  taken: string[];
  close: () => void;
  made: (name: string) => void;
}) {
  const [title, setTitle] = useState("");
  const [kind, setKind] = useState<"ports" | "devices">("ports");
  const [pick, setPick] = useState("");
  const [, setTray] = useView("tray");
  const bulk = useBulk();
  const reading = useReading(pick);
  const name = title
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 63);
  const clash = taken.includes(name);
  const submit = (e: FormEvent) => {
    e.preventDefault();
    bulk.mutate(
      { change: draft, on: [`template/${name}:self`], set: { present: "on", title: title.trim(), for: kind, pick } },
      {
        onSuccess: (a) => {
          if (!a.change) {
            toast.error(a.results[0]?.why ?? "It is there already.");
            return;
          }
          setTray(String(a.change.number));
          made(name);
          close();
        },
      },
    );
  };
  return (
    <Modal
      open
      onOpenChange={(o) => !o && close()}
      title="Make a template"
      description="It goes into a draft. Its settings come next; nothing is sent to a device yet."
    >
      <form onSubmit={submit} className="grid gap-2">
        <Field
          label="Title"
          help={clash ? undefined : name ? `its name: ${name}` : "what people call it: Cameras"}
          error={clash ? `There is a template ${name} already` : undefined}
        >
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              className={inputClass}
              value={title}
              maxLength={80}
              onChange={(e) => setTitle(e.target.value)}
            />
          )}
        </Field>
        <Field label="For" help="A template for devices also sets their VLANs and lists">
          {(id, by) => (
            <select
              id={id}
              aria-describedby={by}
              className={inputClass}
              value={kind}
              onChange={(e) => setKind(e.target.value as "ports" | "devices")}
            >
              <option value="ports">ports</option>
              <option value="devices">devices</option>
            </select>
          )}
        </Field>
        <Field
          label="Picks"
          help={
            pick.trim() && reading.data && !reading.data.fault
              ? `A selector: it picks ${kind === "ports" ? many(reading.data.ports, "port") : many(reading.data.devices, "device")} now`
              : "A selector: what it picks at any time follows it"
          }
          error={reading.data?.fault?.problem}
        >
          {(id, by) => (
            <textarea
              id={id}
              aria-describedby={by}
              rows={2}
              className={clsx(inputClass, "!h-auto font-mono text-sm")}
              value={pick}
              placeholder={kind === "ports" ? 'kind = switch and port.description ~ "Camera*"' : "kind = switch"}
              onChange={(e) => setPick(e.target.value)}
            />
          )}
        </Field>
        {bulk.isError && (
          <p role="alert" className="text-down">
            {bulk.error.message}
          </p>
        )}
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Cancel</Button>
          <Button type="submit" kind="main" disabled={!name || clash || bulk.isPending}>
            {draft ? `Add to draft ${draft}` : "Put into a new draft"}
          </Button>
        </div>
      </form>
    </Modal>
  );
}
