import { Plus, Trash2 } from "lucide-react";
import { type FormEvent, useId, useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import type { DeviceDetail, DeviceObject, Person, SettingKind } from "../../api/client";
import { useChanges } from "../../api/queries";
import { useView } from "../../app/view";
import { Button, Field, inputClass, Panel } from "../../ui/controls";
import { many } from "../../ui/time";
import { useControl } from "../layers/queries";
import { CopyDialog } from "./CopyDialog";
import { ObjectState } from "./ObjectState";
import { useBulk, useKinds, useOwnDraft, useReady } from "./queries";
import { SettingsForm } from "./SettingsForm";

/** Settings of a device itself, and what it holds besides its ports: picked at the left, set at the right. */
export function DeviceSettings({ d, me }: { d: DeviceDetail; me: Person }) {
  const [object, setObject] = useView("object");
  const may = d.rights.includes("change devices");
  const kinds = useKinds().data?.items ?? [];
  const there = kinds.filter((k) => !k.needs || d.features.includes(k.needs));
  const objects = useObjects(d, me, kinds);
  const chosen = objects.find((o) => o.name === object);
  const target = chosen ? `${d.name}:${chosen.name}` : d.name;
  return (
    <div className="grid items-start gap-3 lg:grid-cols-[300px_minmax(0,1fr)]">
      <Panel title="Its parts" aside={may && <ControlSelect d={d} />}>
        <nav aria-label="Parts of the device" className="grid gap-2 p-2">
          <Part on={!chosen} onClick={() => setObject("")} name={d.name} text="the device itself" />
          {there.map((k) => (
            <Group
              key={k.kind}
              d={d}
              k={k}
              list={objects.filter((o) => o.kind === k.kind)}
              may={may}
              object={object}
              pick={setObject}
              me={me}
            />
          ))}
        </nav>
      </Panel>
      <Panel
        title={
          chosen ? (
            <span className="first-letter:uppercase inline-block">
              {kinds.find((k) => k.kind === chosen.kind)?.one} {chosen.name.replace(/^.*\//, "")}
            </span>
          ) : (
            d.name
          )
        }
        aside={may && (chosen ? <Remove d={d} o={chosen} me={me} /> : <Whole d={d} me={me} />)}
      >
        <div className="p-3">
          {chosen && <ObjectState d={d} o={chosen} />}
          {chosen?.members && (
            <p className="mb-2 text-sm text-soft">
              {chosen.members.length === 0 ? (
                "No port is in it yet: pick ports and set their Bundle."
              ) : (
                <>
                  Ports: <span className="font-mono">{chosen.members.join(", ")}</span>
                </>
              )}
            </p>
          )}
          {d.control !== "here" ? (
            <p className="text-soft">
              {d.control === "local" ? "It is under local control" : "It is only watched"}: have it changed from here
              first.
            </p>
          ) : may || (chosen?.kind === "bundle" && d.rights.includes("change ports")) ? (
            <SettingsForm on={[target]} me={me} hide={["present"]} />
          ) : (
            <p className="text-soft">You may look at this device, not set it up: your role is {me.role}.</p>
          )}
        </div>
      </Panel>
    </div>
  );
}

/** What the device holds, with what the draft of who edits makes and removes. */
function useObjects(d: DeviceDetail, me: Person, kinds: SettingKind[]): DeviceObject[] {
  const draft = useOwnDraft(me);
  const changes = useChanges();
  const edits = changes.data?.items.find((c) => c.number === draft)?.edits ?? [];
  const of = (value: string) =>
    edits
      .filter((e) => e.field === "present" && e.value === value && e.port.startsWith(`${d.name}:`))
      .map((e) => e.port.slice(d.name.length + 1));
  const gone = of("off");
  const made = of("on").filter((name) => !d.objects.some((o) => o.name === name));
  return [
    ...d.objects.filter((o) => !gone.includes(o.name)),
    ...made.flatMap((name): DeviceObject[] => {
      const k = kinds.find((x) => (x.prefix ? name.startsWith(x.prefix) : name.startsWith("lag")));
      return k ? [{ name, kind: k.kind, title: `in draft ${draft}`, settings: {} }] : [];
    }),
  ];
}

/** What is done with all settings of the device. */
function Whole({ d, me }: { d: DeviceDetail; me: Person }) {
  return (
    <span className="flex items-center gap-3">
      <Link to={`/setup?device=${d.name}`} className="text-sm">
        Step by step…
      </Link>
      <CopyDialog d={d} me={me} />
    </span>
  );
}

/** Who changes the device. */
function ControlSelect({ d }: { d: DeviceDetail }) {
  const control = useControl();
  const id = useId();
  return (
    <span className="flex items-center gap-1.5">
      <label htmlFor={id}>Changed</label>
      <select
        id={id}
        className="h-6 rounded-sm border border-rule bg-raised px-1 text-ink"
        value={d.control}
        disabled={control.isPending}
        onChange={(e) => control.mutate({ device: d.name, control: e.target.value as DeviceDetail["control"] })}
      >
        <option value="here">from here</option>
        <option value="watched">by others: only watched</option>
        <option value="local">on the spot</option>
      </select>
    </span>
  );
}

function Part({ on, onClick, name, text }: { on: boolean; onClick: () => void; name: string; text?: string }) {
  return (
    <button
      type="button"
      aria-current={on}
      onClick={onClick}
      className="flex h-7 w-full items-center gap-2 rounded-sm border border-transparent px-2 text-left hover:border-rule aria-[current=true]:border-accent aria-[current=true]:bg-buff aria-[current=true]:text-buff-ink"
    >
      <span className="font-mono text-sm">{name}</span>
      <span className="truncate text-sm text-soft">{text}</span>
    </button>
  );
}

function Group({
  d,
  k,
  list,
  may,
  object,
  pick,
  me,
}: {
  d: DeviceDetail;
  k: SettingKind;
  list: DeviceObject[];
  may: boolean;
  object: string;
  pick: (name: string) => void;
  me: Person;
}) {
  const [adding, setAdding] = useState(false);
  return (
    <section aria-label={k.title}>
      <header className="flex items-center justify-between border-b border-rule px-2 pb-0.5">
        <h3 className="text-sm font-semibold">
          {k.title}
          {list.length === 0 && !adding && <span className="ml-2 font-normal text-soft">none</span>}
        </h3>
        {may && (
          <span className="flex items-center">
            {k.kind === "class" && <ReadySets d={d} me={me} />}
            <Button
              kind="quiet"
              className="!h-6 px-1"
              onClick={() => setAdding(!adding)}
              aria-label={`Make a ${k.one}`}
            >
              <Plus size={14} aria-hidden />
            </Button>
          </span>
        )}
      </header>
      {adding && <Make d={d} k={k} me={me} done={() => setAdding(false)} />}
      {list.map((o) => (
        <Part
          key={o.name}
          on={o.name === object}
          onClick={() => pick(o.name)}
          name={k.prefix ? o.name.slice(k.prefix.length) : o.name}
          text={o.title || (o.members ? many(o.members.length, "port") : "")}
        />
      ))}
    </section>
  );
}

/** Puts a ready set of traffic classes into the draft. */
function ReadySets({ d, me }: { d: DeviceDetail; me: Person }) {
  const ready = useReady();
  const bulk = useBulk();
  const draft = useOwnDraft(me);
  const [, setTray] = useView("tray");
  return (
    <select
      aria-label="A ready set of traffic classes"
      className="h-6 rounded-sm border border-rule bg-raised px-1 text-sm text-ink"
      value=""
      disabled={bulk.isPending}
      onChange={(e) => {
        const set = ready.data?.items.find((r) => r.name === e.target.value);
        if (!set) return;
        bulk.mutate(
          { change: draft, rows: set.rows.map((r) => ({ on: [`${d.name}:${r.object}`], set: r.set })) },
          {
            onSuccess: (a) => {
              if (a.change) setTray(String(a.change.number));
              else toast("Everything is already as the set says.");
            },
          },
        );
      }}
    >
      <option value="">ready sets…</option>
      {ready.data?.items.map((r) => (
        <option key={r.name} value={r.name} title={r.help}>
          {r.title}
        </option>
      ))}
    </select>
  );
}

/** Puts the making of an object into the draft. */
function Make({ d, k, me, done }: { d: DeviceDetail; k: SettingKind; me: Person; done: () => void }) {
  const [name, setName] = useState("");
  const bulk = useBulk();
  const draft = useOwnDraft(me);
  const [, setTray] = useView("tray");
  const submit = (e: FormEvent) => {
    e.preventDefault();
    const set: Record<string, string> = { present: "on" };
    const wanted = k.prefix === "" && /^\d+$/.test(name.trim()) ? `lag${name.trim()}` : name.trim();
    bulk.mutate(
      { change: draft, on: [`${d.name}:${k.prefix}${wanted}`], set },
      {
        onSuccess: (a) => {
          const refused = a.results.find((r) => r.outcome !== "set");
          if (refused) toast.error(refused.why ?? `There is a ${k.one} of that name already.`);
          else {
            setTray(String(a.change?.number));
            done();
          }
        },
      },
    );
  };
  return (
    <form onSubmit={submit} className="flex items-end gap-2 px-2 py-1">
      <div className="grow">
        <Field label={`New ${k.one}`} help={k.form}>
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              className={inputClass}
              value={name}
              onChange={(e) => setName(e.target.value)}
              onKeyDown={(e) => e.key === "Escape" && done()}
            />
          )}
        </Field>
      </div>
      <Button type="submit" kind="main" className="mb-[18px]" disabled={name.trim() === "" || bulk.isPending}>
        Make
      </Button>
    </form>
  );
}

function Remove({ d, o, me }: { d: DeviceDetail; o: DeviceObject; me: Person }) {
  const bulk = useBulk();
  const draft = useOwnDraft(me);
  const [, setTray] = useView("tray");
  return (
    <Button
      kind="quiet"
      className="!h-6 text-buff-ink"
      disabled={bulk.isPending}
      onClick={() =>
        bulk.mutate(
          { change: draft, on: [`${d.name}:${o.name}`], set: { present: "off" } },
          {
            onSuccess: (a) => {
              const refused = a.results.find((r) => r.outcome === "refused");
              if (refused) toast.error(`It ${refused.why?.replace(/^present: /, "")}`);
              else setTray(String(a.change?.number));
            },
          },
        )
      }
    >
      <Trash2 size={13} aria-hidden /> Remove
    </Button>
  );
}
