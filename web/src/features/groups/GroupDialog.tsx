import { useState } from "react";
import type { Group } from "../../api/client";
import { useReading } from "../../api/lists";
import { Button, Field, inputClass, Modal } from "../../ui/controls";
import { many } from "../../ui/time";
import { useDropGroup, usePutGroup } from "./queries";

/** Makes or edits a group: a selector with a name, or a list of devices. */
export function GroupDialog({ group, pick: initial, close }: { group: Group | null; pick: string; close: () => void }) {
  const [name, setName] = useState("");
  const [title, setTitle] = useState(group?.title ?? "");
  const [byHand, setByHand] = useState(Boolean(group && !group.pick));
  const [pick, setPick] = useState(group?.pick ?? initial);
  const [members, setMembers] = useState((group?.members ?? []).join("\n"));
  const [sure, setSure] = useState(false);
  const put = usePutGroup();
  const drop = useDropGroup();
  const reading = useReading(byHand ? "" : pick);
  const list = members.split(/[\s,]+/).filter(Boolean);
  const fault = reading.data?.fault;
  const error = put.error ?? drop.error;
  return (
    <Modal
      open
      onOpenChange={close}
      wide
      title={group ? group.name : "Make a group"}
      description="A group is a word of selectors: group = cameras stands for what it picks."
    >
      <form
        className="grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          put.mutate(
            { name: group?.name ?? name, body: byHand ? { title, members: list } : { title, pick } },
            { onSuccess: close },
          );
        }}
      >
        <div className="grid gap-3 sm:grid-cols-2">
          {!group && (
            <Field label="Name" help="Small letters, digits and hyphens; it cannot be changed later">
              {(id, d) => (
                <input
                  id={id}
                  aria-describedby={d}
                  value={name}
                  maxLength={63}
                  onChange={(e) => setName(e.target.value)}
                  className={`${inputClass} font-mono`}
                />
              )}
            </Field>
          )}
          <Field label="What for">
            {(id) => (
              <input
                id={id}
                value={title}
                maxLength={200}
                onChange={(e) => setTitle(e.target.value)}
                className={inputClass}
              />
            )}
          </Field>
        </div>
        <fieldset className="flex gap-5">
          <legend className="mb-0.5 text-sm font-medium">Picked by</legend>
          <label className="flex items-center gap-1.5">
            <input type="radio" checked={!byHand} onChange={() => setByHand(false)} /> a selector
          </label>
          <label className="flex items-center gap-1.5">
            <input type="radio" checked={byHand} onChange={() => setByHand(true)} /> hand
          </label>
        </fieldset>
        {byHand ? (
          <Field label="Devices" help={`${many(list.length, "name")}, separated by spaces, commas or lines`}>
            {(id, d) => (
              <textarea
                id={id}
                aria-describedby={d}
                value={members}
                rows={6}
                onChange={(e) => setMembers(e.target.value)}
                className={`${inputClass} h-auto py-1 font-mono text-sm`}
              />
            )}
          </Field>
        ) : (
          <Field
            label="Selector"
            help={reading.data ? `It picks ${many(reading.data.devices, "device")} now` : ""}
            error={fault && `${fault.problem} at ${fault.at + 1}${fault.hint ? `: ${fault.hint}` : ""}`}
          >
            {(id, d) => (
              <input
                id={id}
                aria-describedby={d}
                value={pick}
                maxLength={4000}
                spellCheck={false}
                onChange={(e) => setPick(e.target.value)}
                className={`${inputClass} font-mono`}
              />
            )}
          </Field>
        )}
        {error && (
          <p role="alert" className="text-down">
            {error.message}
          </p>
        )}
        <div className="flex items-center gap-2">
          {group && !sure && (
            <Button kind="danger" onClick={() => setSure(true)}>
              Delete…
            </Button>
          )}
          {group && sure && (
            <>
              <span className="text-sm">The devices stay; scopes that name it pick nothing then.</span>
              <Button
                kind="danger"
                disabled={drop.isPending}
                onClick={() => drop.mutate(group.name, { onSuccess: close })}
              >
                Delete {group.name}
              </Button>
            </>
          )}
          <span className="grow" />
          <Button onClick={close}>Leave it</Button>
          <Button
            kind="main"
            type="submit"
            disabled={put.isPending || (!group && !name) || Boolean(!byHand && fault) || (!byHand && !pick.trim())}
          >
            {group ? "Keep" : "Make it"}
          </Button>
        </div>
      </form>
    </Modal>
  );
}
