import { Plus, Trash2 } from "lucide-react";
import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import type { DeviceDetail, DeviceObject, Person } from "../../api/client";
import { useChanges } from "../../api/queries";
import { useView } from "../../app/view";
import { Button, Field, inputClass, Panel } from "../../ui/controls";
import { many } from "../../ui/time";
import { useBulk, useOwnDraft } from "./queries";
import { SettingsForm } from "./SettingsForm";

type Kind = DeviceObject["kind"];

/** What a device can hold besides its ports, and the feature that it takes. */
const kinds: { kind: Kind; title: string; one: string; needs?: string; form: string; prefix: string }[] = [
  {
    kind: "bundle",
    title: "Bundles",
    one: "bundle",
    needs: "link aggregation",
    form: "a number: 2 makes lag2",
    prefix: "lag",
  },
  { kind: "vlan", title: "VLANs", one: "VLAN", form: "its number, 1 to 4094", prefix: "vlan/" },
  {
    kind: "acl",
    title: "Access lists",
    one: "access list",
    needs: "access lists",
    form: "a name of small letters",
    prefix: "acl/",
  },
  {
    kind: "schedule",
    title: "Schedules",
    one: "schedule",
    needs: "schedules",
    form: "a name of small letters",
    prefix: "schedule/",
  },
  {
    kind: "mirror",
    title: "Mirrors",
    one: "mirror",
    needs: "mirrors",
    form: "a name of small letters",
    prefix: "mirror/",
  },
];

/** Settings of a device itself, and what it holds besides its ports: picked at the left, set at the right. */
export function DeviceSettings({ d, me }: { d: DeviceDetail; me: Person }) {
  const [object, setObject] = useView("object");
  const may = d.rights.includes("change devices");
  const there = kinds.filter((k) => !k.needs || d.features.includes(k.needs));
  const objects = useObjects(d, me);
  const chosen = objects.find((o) => o.name === object);
  const target = chosen ? `${d.name}:${chosen.name}` : d.name;
  return (
    <div className="grid items-start gap-3 lg:grid-cols-[300px_minmax(0,1fr)]">
      <Panel title="What can be set up">
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
          chosen ? `${kinds.find((k) => k.kind === chosen.kind)?.one} ${chosen.name.replace(/^.*\//, "")}` : d.name
        }
        aside={chosen && may && <Remove d={d} o={chosen} me={me} />}
      >
        <div className="p-3">
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
          {may || (chosen?.kind === "bundle" && d.rights.includes("change ports")) ? (
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
function useObjects(d: DeviceDetail, me: Person): DeviceObject[] {
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
      const k = kinds.find((x) => name.startsWith(x.prefix));
      return k ? [{ name, kind: k.kind, title: `in draft ${draft}`, settings: {} }] : [];
    }),
  ];
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
  k: (typeof kinds)[number];
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
        <h3 className="text-sm font-semibold">{k.title}</h3>
        {may && (
          <Button kind="quiet" className="!h-6 px-1" onClick={() => setAdding(!adding)} aria-label={`Make a ${k.one}`}>
            <Plus size={14} aria-hidden />
          </Button>
        )}
      </header>
      {adding && <Make d={d} k={k} me={me} done={() => setAdding(false)} />}
      {list.length === 0 && !adding && <p className="px-2 py-1 text-sm text-soft">none</p>}
      {list.map((o) => (
        <Part
          key={o.name}
          on={o.name === object}
          onClick={() => pick(o.name)}
          name={o.name.replace(/^(vlan|acl|schedule|mirror)\//, "")}
          text={o.title || (o.members ? many(o.members.length, "port") : "")}
        />
      ))}
    </section>
  );
}

/** Puts the making of an object into the draft. */
function Make({ d, k, me, done }: { d: DeviceDetail; k: (typeof kinds)[number]; me: Person; done: () => void }) {
  const [name, setName] = useState("");
  const bulk = useBulk();
  const draft = useOwnDraft(me);
  const [, setTray] = useView("tray");
  const submit = (e: FormEvent) => {
    e.preventDefault();
    const set: Record<string, string> = { present: "on" };
    bulk.mutate(
      { change: draft, on: [`${d.name}:${k.prefix}${name.trim()}`], set },
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
