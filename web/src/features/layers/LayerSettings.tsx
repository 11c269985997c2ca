import { Plus, Trash2 } from "lucide-react";
import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import type { Person, Template } from "../../api/client";
import { useChanges } from "../../api/queries";
import { useView } from "../../app/view";
import { Button, inputClass } from "../../ui/controls";
import { collator } from "../../ui/table";
import { useBulk, useKinds, useOwnDraft } from "../settings/queries";
import { SettingsForm } from "../settings/SettingsForm";

type Word = Template["says"][number];

/** What a layer can speak of besides the device itself: prefix, word, example. */
function useSpoken(): [string, string, string][] {
  const kinds = useKinds().data?.items ?? [];
  return kinds
    .filter((k) => !k.own)
    .map((k) => [k.prefix, k.one, k.kind === "vlan" ? "40" : k.form.startsWith("its number") ? "1" : "office"]);
}

const nameOf = (kinds: [string, string, string][], object: string) => {
  if (object === "") return "the device itself";
  const kind = kinds.find(([prefix]) => object.startsWith(prefix));
  return kind ? `${kind[1]} ${object.slice(kind[0].length)}` : object;
};

/** The settings that a layer speaks of: picked at the left, said at the right. */
export function LayerSettings({ owner, ports, says, me }: { owner: string; ports: boolean; says: Word[]; me: Person }) {
  const [chosen, setChosen] = useState("");
  const [adding, setAdding] = useState(false);
  const draft = useOwnDraft(me);
  const changes = useChanges();
  const kinds = useSpoken();
  if (ports) return <SettingsForm on={[`${owner}:port`]} me={me} hide={["bundle"]} />;
  const edits = changes.data?.items.find((c) => c.number === draft)?.edits ?? [];
  const drafted = edits.filter((e) => e.port.startsWith(`${owner}:`)).map((e) => e.port.slice(owner.length + 1));
  const objects = [...new Set([...says.map((w) => w.object), ...drafted])]
    .filter((o) => o !== "" && o !== "self")
    .sort(collator.compare);
  const object = objects.includes(chosen) ? chosen : "";
  return (
    <div className="grid items-start gap-3 md:grid-cols-[190px_minmax(0,1fr)]">
      <nav aria-label="What it sets" className="grid gap-0.5">
        {["", ...objects].map((o) => (
          <button
            key={o}
            type="button"
            aria-current={o === object}
            onClick={() => setChosen(o)}
            className="flex h-7 w-full items-center justify-between gap-2 rounded-sm border border-transparent px-2 text-left hover:border-rule aria-[current=true]:border-accent aria-[current=true]:bg-buff aria-[current=true]:text-buff-ink"
          >
            <span className="truncate">{nameOf(kinds, o)}</span>
            <span className="text-xs text-soft">
              {says.find((w) => w.object === o && w.setting === "name")?.value ??
                (says.filter((w) => w.object === o).length || "")}
            </span>
          </button>
        ))}
        {adding ? (
          <AddObject
            owner={owner}
            draft={draft}
            done={(o) => {
              setAdding(false);
              if (o) setChosen(o);
            }}
          />
        ) : (
          <Button kind="quiet" className="justify-start px-2" onClick={() => setAdding(true)}>
            <Plus size={14} aria-hidden /> Add a VLAN or list…
          </Button>
        )}
      </nav>
      <div className="min-w-0">
        <SettingsForm key={object} on={[object ? `${owner}:${object}` : owner]} me={me} />
        {object && <Silence owner={owner} object={object} says={says} draft={draft} />}
      </div>
    </div>
  );
}

function AddObject({
  owner,
  draft,
  done,
}: {
  owner: string;
  draft: number | undefined;
  done: (object?: string) => void;
}) {
  const [prefix, setPrefix] = useState("vlan/");
  const [name, setName] = useState("");
  const [, setTray] = useView("tray");
  const bulk = useBulk();
  const kinds = useSpoken();
  const submit = (e: FormEvent) => {
    e.preventDefault();
    const object = prefix + name.trim();
    bulk.mutate(
      { change: draft, on: [`${owner}:${object}`], set: { present: "on" } },
      {
        onSuccess: (a) => {
          if (!a.change) {
            toast.error(a.results[0]?.why ?? "It is spoken of already.");
            return;
          }
          setTray(String(a.change.number));
          done(object);
        },
      },
    );
  };
  return (
    <form onSubmit={submit} className="grid gap-1 rounded border border-rule p-1.5">
      <select aria-label="What" className={inputClass} value={prefix} onChange={(e) => setPrefix(e.target.value)}>
        {kinds.map(([p, word]) => (
          <option key={p} value={p}>
            {word}
          </option>
        ))}
      </select>
      <input
        aria-label="Its number or name"
        className={inputClass}
        placeholder={kinds.find(([p]) => p === prefix)?.[2]}
        value={name}
        onChange={(e) => setName(e.target.value)}
        onKeyDown={(e) => e.key === "Escape" && done()}
      />
      <div className="flex gap-1">
        <Button type="submit" kind="main" disabled={!name.trim() || bulk.isPending}>
          Add
        </Button>
        <Button onClick={() => done()}>Cancel</Button>
      </div>
    </form>
  );
}

/** Has a layer say nothing of an object any more. */
function Silence({
  owner,
  object,
  says,
  draft,
}: {
  owner: string;
  object: string;
  says: Word[];
  draft: number | undefined;
}) {
  const bulk = useBulk();
  const kinds = useSpoken();
  const [, setTray] = useView("tray");
  const said = says.filter((w) => w.object === object).map((w) => w.setting);
  if (said.length === 0) return null;
  return (
    <Button
      kind="quiet"
      className="mt-2 px-1"
      disabled={bulk.isPending}
      onClick={() =>
        bulk.mutate(
          { change: draft, on: [`${owner}:${object}`], inherit: said },
          { onSuccess: (a) => a.change && setTray(String(a.change.number)) },
        )
      }
    >
      <Trash2 size={13} aria-hidden /> Say nothing of {nameOf(kinds, object)} any more
    </Button>
  );
}
