import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import type { Policy } from "../../api/client";
import { Button, Field, inputClass, Modal, TextField } from "../../ui/controls";
import { dayTime, many } from "../../ui/time";
import { useFinish } from "../operations/queries";

/** What stations may see for a time though an inspection blocks it, and who let them. */
export function Overrides({ p, may }: { p: Policy; may: boolean }) {
  const [asking, ask] = useState(false);
  const finish = useFinish(p.device);
  const categories = [
    ...new Set(p.names.flatMap((n) => (n.values["web-override"] ?? "none").split(",")).filter((c) => c !== "none")),
  ].sort();
  if (categories.length === 0 && p.overrides.length === 0) return null;
  return (
    <div className="border-t border-rule">
      <div className="flex items-center gap-3 px-3 py-1.5">
        <span>
          {p.overrides.length === 0
            ? `Blocked until somebody overrides it: ${categories.join(", ")}`
            : `Let for a time: ${many(p.overrides.length, "override")}`}
        </span>
        <span className="grow" />
        {may && categories.length > 0 && (
          <Button className="!h-6" onClick={() => ask(true)}>
            Override…
          </Button>
        )}
      </div>
      {p.overrides.length > 0 && (
        <table className="w-full border-collapse text-left text-sm">
          <tbody>
            {p.overrides.map((o) => (
              <tr key={`${o.source} ${o.category}`} className="border-t border-rule/60">
                <td className="px-3 py-1 font-mono">{o.source}</td>
                <td className="px-3 py-1">{o.category}</td>
                <td className="px-3 py-1">let by {o.by}</td>
                <td className="whitespace-nowrap px-3 py-1">until {dayTime(o.until)}</td>
                <td className="px-3 py-1 text-soft">{many(o.passed_sessions, "session")}</td>
                <td className="w-px px-3 py-1">
                  {may && (
                    <Button
                      className="!h-6 whitespace-nowrap"
                      disabled={finish.isPending}
                      onClick={() =>
                        finish.mutate(
                          { kind: "end-override", args: { source: o.source, category: o.category } },
                          { onSuccess: (said) => toast.success(said), onError: (e) => toast.error(e.message) },
                        )
                      }
                    >
                      End it
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {asking && <Ask device={p.device} categories={categories} close={() => ask(false)} />}
    </div>
  );
}

function Ask({ device, categories, close }: { device: string; categories: string[]; close: () => void }) {
  const [source, setSource] = useState("");
  const [category, setCategory] = useState(categories[0] ?? "");
  const [minutes, setMinutes] = useState("30");
  const finish = useFinish(device);
  const bad = !(Number(minutes) >= 1 && Number(minutes) <= 1440);
  const submit = (e: FormEvent) => {
    e.preventDefault();
    finish.mutate(
      { kind: "override", args: { source: source.trim(), category, for: minutes } },
      {
        onSuccess: (said) => {
          toast.success(said);
          close();
        },
      },
    );
  };
  return (
    <Modal
      open
      onOpenChange={close}
      title="Override an inspection"
      description={`A station sees for a time what ${device} blocks, in your name. The firewall forgets it when it starts again.`}
    >
      <form className="grid gap-3" onSubmit={submit}>
        <TextField label="Station" help="its IP address" value={source} set={setSource} />
        <Field label="Category" help="of those that may be overridden">
          {(id, by) => (
            <select
              id={id}
              aria-describedby={by}
              className={inputClass}
              value={category}
              onChange={(e) => setCategory(e.target.value)}
            >
              {categories.map((c) => (
                <option key={c}>{c}</option>
              ))}
            </select>
          )}
        </Field>
        <Field label="For" help={bad ? "minutes, from 1 to 1440" : "minutes"}>
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              className={inputClass}
              inputMode="numeric"
              value={minutes}
              onChange={(e) => setMinutes(e.target.value.replace(/\D/g, ""))}
            />
          )}
        </Field>
        {finish.isError && (
          <p role="alert" className="text-down">
            {finish.error.message}
          </p>
        )}
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Leave it</Button>
          <Button type="submit" kind="main" disabled={finish.isPending || bad || !source.trim()}>
            {finish.isPending ? "Asking it…" : "Let it"}
          </Button>
        </div>
      </form>
    </Modal>
  );
}
