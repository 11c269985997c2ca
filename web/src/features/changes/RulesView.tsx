import { Plus, Trash2 } from "lucide-react";
import { type FormEvent, useState } from "react";
import { allowed, type ChangeRule, type Person } from "../../api/client";
import { useChangeRules, useDropChangeRule, usePutChangeRule } from "../../api/queries";
import { Button, Empty, Failure, Field, inputClass, Modal, Panel } from "../../ui/controls";

const blank: ChangeRule = { name: "", title: "", pick: "", hours: "", zone: "", approval: false };

/** The rules of the house: in which hours changes are made, and which need a second person. */
export function RulesView({ me }: { me: Person }) {
  const rules = useChangeRules();
  const [editing, setEditing] = useState<ChangeRule | null>(null);
  const [leaving, setLeaving] = useState<ChangeRule | null>(null);
  const drop = useDropChangeRule();
  const may = allowed(me, "administer", "changes");
  return (
    <Panel
      title="Rules of the house"
      aside={
        may && (
          <Button kind="quiet" className="!h-6 text-buff-ink" onClick={() => setEditing(blank)}>
            <Plus size={13} aria-hidden /> New rule
          </Button>
        )
      }
    >
      {rules.isError ? (
        <Failure error={rules.error} retry={() => void rules.refetch()} />
      ) : rules.data?.items.length === 0 ? (
        <Empty title="There is no rule">
          Changes are pushed at any time, by whoever may change the devices. A rule says in which hours changes of some
          devices are made, or that a second person has to approve them.
        </Empty>
      ) : (
        <ul className="divide-y divide-rule/60">
          {rules.data?.items.map((r) => (
            <li
              key={r.name}
              className="grid items-baseline gap-x-4 px-3 py-1.5 md:grid-cols-[150px_minmax(0,1fr)_minmax(0,1fr)_150px]"
            >
              <span>
                <span className="font-mono text-sm font-semibold">{r.name}</span>
                {r.title && <span className="block text-sm text-soft">{r.title}</span>}
              </span>
              <span className="font-mono text-sm break-words">{r.pick || "all devices"}</span>
              <span>
                {r.hours && (
                  <span className="block">
                    {r.hours} <span className="text-soft">{r.zone || "UTC"}</span>
                  </span>
                )}
                {r.approval && <span className="block">a second person approves</span>}
              </span>
              {may && (
                <span className="flex justify-end gap-1">
                  <Button onClick={() => setEditing(r)}>Edit</Button>
                  <Button kind="quiet" aria-label={`Remove the rule ${r.name}`} onClick={() => setLeaving(r)}>
                    <Trash2 size={14} aria-hidden />
                  </Button>
                </span>
              )}
            </li>
          ))}
        </ul>
      )}
      {editing && <RuleDialog rule={editing} onClose={() => setEditing(null)} />}
      <Modal
        open={leaving !== null}
        onOpenChange={() => setLeaving(null)}
        title={`Remove the rule ${leaving?.name}?`}
        description="Changes that wait by it begin at the next look, as far as nothing else holds them."
      >
        <div className="flex justify-end gap-2">
          <Button onClick={() => setLeaving(null)}>Cancel</Button>
          <Button
            kind="danger"
            disabled={drop.isPending}
            onClick={() => leaving && drop.mutate(leaving.name, { onSuccess: () => setLeaving(null) })}
          >
            Remove
          </Button>
        </div>
      </Modal>
    </Panel>
  );
}

function RuleDialog({ rule, onClose }: { rule: ChangeRule; onClose: () => void }) {
  const [r, setRule] = useState(rule);
  const put = usePutChangeRule();
  const line = (
    label: string,
    name: "name" | "title" | "pick" | "hours" | "zone",
    help: string,
    placeholder: string,
    mono?: boolean,
  ) => (
    <Field label={label} help={help}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          className={`${inputClass} ${mono ? "font-mono" : ""}`}
          placeholder={placeholder}
          disabled={name === "name" && rule.name !== ""}
          value={r[name] ?? ""}
          onChange={(e) => setRule({ ...r, [name]: e.target.value })}
        />
      )}
    </Field>
  );
  const submit = (e: FormEvent) => {
    e.preventDefault();
    put.mutate({ ...r, name: r.name.trim() }, { onSuccess: onClose });
  };
  return (
    <Modal
      open
      onOpenChange={onClose}
      title={rule.name ? `Rule ${rule.name}` : "New rule"}
      description="It holds for every change of the devices that it picks."
      wide
    >
      <form onSubmit={submit} className="grid gap-2">
        <div className="grid gap-3 sm:grid-cols-2">
          {line("Name", "name", "small letters, digits and hyphens", "vessels")}
          {line("Title", "title", "what it is for", "Ships are changed in port")}
        </div>
        {line("Devices", "pick", "a selector; all devices while it is empty", "site in (fulmar, guillemot)", true)}
        <div className="grid gap-3 sm:grid-cols-2">
          {line("Hours", "hours", "in which changes are made; any time while it is empty", "mon-sun 01:00-04:30", true)}
          {line("Time zone of the hours", "zone", "UTC while it is empty", "Europe/London")}
        </div>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-[var(--accent)]"
            checked={r.approval ?? false}
            onChange={(e) => setRule({ ...r, approval: e.target.checked })}
          />
          A second person has to approve every change of them
        </label>
        {put.isError && (
          <p role="alert" className="text-down">
            {put.error.message}
          </p>
        )}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" kind="main" disabled={put.isPending || r.name.trim() === ""}>
            Keep the rule
          </Button>
        </div>
      </form>
    </Modal>
  );
}
