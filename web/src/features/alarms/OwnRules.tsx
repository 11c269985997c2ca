import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Plus, Trash2 } from "lucide-react";
import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { type AlarmRule, type AlarmRuleRequest, type AlarmRuleTrial, api, take } from "../../api/client";
import { amount, quantity } from "../../ui/amount";
import { Button, Empty, Failure, Field, inputClass, Modal, Panel, ScrollRegion } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { dayTime, many } from "../../ui/time";

const useRules = () => useQuery({ queryKey: ["alarms", "rules"], queryFn: () => take(api.GET("/api/v1/alarm-rules")) });
const useReadings = () =>
  useQuery({
    queryKey: ["history-metrics"],
    queryFn: () => take(api.GET("/api/v1/history/metrics")),
    staleTime: Infinity,
  });

/** The rules of the house: what besides the ready rules is an alarm. */
export function OwnRules() {
  const rules = useRules();
  const [editing, setEditing] = useState<AlarmRule | "new">();
  const list = rules.data?.items ?? [];
  return (
    <>
      <Panel
        title={`${many(list.length, "rule")} of the house`}
        aside={
          <Button kind="quiet" className="!h-6 text-buff-ink" onClick={() => setEditing("new")}>
            <Plus size={14} aria-hidden /> New rule
          </Button>
        }
      >
        {rules.isError && <Failure error={rules.error} retry={() => void rules.refetch()} />}
        {rules.data && list.length === 0 && (
          <Empty title="Only the ready rules hold">
            A rule of the house makes an alarm of a reading: a busy uplink, a warm room, a module gone dark.
          </Empty>
        )}
        <ul>
          {list.map((r) => (
            <Row key={r.name} r={r} edit={() => setEditing(r)} />
          ))}
        </ul>
      </Panel>
      <Modal
        open={editing !== undefined}
        onOpenChange={(on) => !on && setEditing(undefined)}
        title={editing === "new" ? "New rule" : `Rule ${editing?.name ?? ""}`}
        description="Of what is picked, one reading, and when that is out of order. Try it before it holds: what is kept of seven days is looked through."
        wide
      >
        {editing && <Form r={editing === "new" ? undefined : editing} done={() => setEditing(undefined)} />}
      </Modal>
    </>
  );
}

function when(r: AlarmRule, unit: string) {
  const lasting = r.for_s ? `, for ${seconds(r.for_s)}` : "";
  if (r.is === "absent") return `${r.part} ${r.metric} is not read${lasting}`;
  const back = r.back !== r.limit ? `, until ${amount(r.back ?? 0, unit)}` : "";
  return `${r.part} ${r.metric} is ${r.is} ${amount(r.limit ?? 0, unit)}${back}${lasting}`;
}

const seconds = (s: number) => (s % 60 === 0 ? `${s / 60} min` : `${s} s`);

function Row({ r, edit }: { r: AlarmRule; edit: () => void }) {
  const qc = useQueryClient();
  const readings = useReadings();
  const [sure, setSure] = useState(false);
  const remove = useMutation({
    mutationFn: () => take(api.DELETE("/api/v1/alarm-rules/{name}", { params: { path: { name: r.name } } })),
    onSuccess: () => void qc.invalidateQueries({ queryKey: ["alarms"] }),
    onError: (e) => toast.error(e.message),
  });
  return (
    <li className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-rule/60 px-3 py-1.5 last:border-0">
      <button type="button" className="font-medium hover:underline" onClick={edit}>
        {r.name}
      </button>
      <HealthMark state={r.off ? "off" : r.severity} word={r.off ? "off" : r.severity} />
      <span className="min-w-0 grow">
        {when(r, readings.data?.items.find((m) => m.part === r.part && m.name === r.metric)?.unit ?? "")}
      </span>
      <span className="min-w-0 break-all font-mono text-sm text-soft">{r.pick}</span>
      {sure ? (
        <span className="flex gap-1">
          <Button kind="danger" className="!h-6" disabled={remove.isPending} onClick={() => remove.mutate()}>
            Remove {r.name}
          </Button>
          <Button className="!h-6" onClick={() => setSure(false)}>
            Leave it
          </Button>
        </span>
      ) : (
        <Button
          kind="quiet"
          className="!h-6 px-1"
          aria-label={`Remove rule ${r.name}`}
          title="Remove it; its alarms are over"
          onClick={() => setSure(true)}
        >
          <Trash2 size={14} aria-hidden />
        </Button>
      )}
    </li>
  );
}

function Form({ r, done }: { r?: AlarmRule; done: () => void }) {
  const readings = useReadings();
  const qc = useQueryClient();
  const [v, setV] = useState({
    name: r?.name ?? "",
    reading: r ? `${r.part}.${r.metric}` : "port.rx_errors",
    is: r?.is ?? "above",
    limit: r ? String(r.limit ?? 0) : "",
    back: r && r.back !== r.limit ? String(r.back ?? 0) : "",
    minutes: r?.for_s ? String(r.for_s / 60) : "",
    severity: r?.severity ?? "minor",
    pick: r?.pick ?? "",
    effect: r?.effect ?? "",
    remedy: r?.remedy ?? "",
    off: r?.off ?? false,
  });
  const [part = "", metric = ""] = v.reading.split(".");
  const of = readings.data?.items.find((m) => m.part === part && m.name === metric);
  const body: AlarmRuleRequest = {
    part: part as AlarmRuleRequest["part"],
    metric,
    is: v.is,
    limit: v.is === "absent" ? undefined : quantity(v.limit),
    back: v.is === "absent" ? undefined : quantity(v.back || v.limit),
    for_s: Math.round(Number(v.minutes) * 60) || undefined,
    severity: v.severity,
    pick: v.pick.trim() || undefined,
    effect: v.effect.trim() || undefined,
    remedy: v.remedy.trim() || undefined,
    off: v.off || undefined,
  };
  const put = useMutation({
    mutationFn: () => take(api.PUT("/api/v1/alarm-rules/{name}", { params: { path: { name: v.name.trim() } }, body })),
    onSuccess: () => {
      void qc.invalidateQueries({ queryKey: ["alarms"] });
      done();
    },
  });
  const attempt = useMutation({ mutationFn: () => take(api.POST("/api/v1/alarm-rules/try", { body })) });
  const change = (name: keyof typeof v, value: string | boolean) => {
    setV({ ...v, [name]: value });
    attempt.reset();
  };
  const text = (
    name: "name" | "limit" | "back" | "minutes" | "pick" | "effect" | "remedy",
    label: string,
    help: string,
    disabled = false,
  ) => (
    <Field label={label} help={help}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          className={inputClass}
          disabled={disabled}
          value={v[name]}
          onChange={(e) => change(name, e.target.value)}
        />
      )}
    </Field>
  );
  const choose = (name: "is" | "severity", label: string, help: string, options: string[]) => (
    <Field label={label} help={help}>
      {(id, by) => (
        <select
          id={id}
          aria-describedby={by}
          className={inputClass}
          value={v[name]}
          onChange={(e) => change(name, e.target.value)}
        >
          {options.map((o) => (
            <option key={o}>{o}</option>
          ))}
        </select>
      )}
    </Field>
  );
  const unit = of?.unit ? `in ${of.unit}${of.unit.endsWith("/s") ? ", such as 400M" : ""}` : "";
  const whole = v.is === "absent" || (!Number.isNaN(quantity(v.limit)) && !Number.isNaN(quantity(v.back || v.limit)));
  const submit = (e: FormEvent) => {
    e.preventDefault();
    put.mutate();
  };
  return (
    <form onSubmit={submit} className="grid gap-x-3 gap-y-2 sm:grid-cols-3">
      {text("name", "Name", "small letters, digits and hyphens", r !== undefined)}
      <Field label="Reading" help={of?.help ?? "what is read again and again"}>
        {(id, by) => (
          <select
            id={id}
            aria-describedby={by}
            className={inputClass}
            value={v.reading}
            onChange={(e) => change("reading", e.target.value)}
          >
            {(readings.data?.items ?? [])
              .filter((m) => m.part !== "client")
              .map((m) => (
                <option key={`${m.part}.${m.name}`} value={`${m.part}.${m.name}`}>
                  {m.part} {m.name.replaceAll("_", " ")}
                </option>
              ))}
          </select>
        )}
      </Field>
      {choose("is", "Is", "absent: what had a reading has none", ["above", "below", "absent"])}
      {text("limit", "Limit", unit || "in the unit of the reading", v.is === "absent")}
      {text("back", "Over at", "at the limit when left out", v.is === "absent")}
      {text("minutes", "For", "minutes; at once when left out")}
      <div className="sm:col-span-2">
        {text(
          "pick",
          part === "port" ? "Of ports" : "Of devices",
          "a selector such as site = tern-haven; all when left out",
        )}
      </div>
      {choose("severity", "Severity", "as the alarm has it", ["critical", "major", "minor", "warning"])}
      <div className="sm:col-span-3">{text("effect", "What comes of it", "as the alarm says it; may be left out")}</div>
      <div className="sm:col-span-3">{text("remedy", "What to do", "as the alarm says it; may be left out")}</div>
      <label className="flex items-center gap-1.5 sm:col-span-3">
        <input
          type="checkbox"
          className="accent-[var(--accent)]"
          checked={v.off}
          onChange={(e) => change("off", e.target.checked)}
        />
        Off: it is kept, and raises nothing
      </label>
      {(put.error ?? attempt.error) && (
        <p role="alert" className="text-down sm:col-span-3">
          {(put.error ?? attempt.error)?.message}
        </p>
      )}
      {attempt.data && <Tried t={attempt.data} unit={of?.unit ?? ""} absent={v.is === "absent"} />}
      <div className="flex justify-end gap-2 sm:col-span-3">
        <Button onClick={done}>Leave it</Button>
        <Button disabled={!whole || attempt.isPending} onClick={() => attempt.mutate()}>
          {attempt.isPending ? "Looking through seven days…" : "Try it on the last 7 days"}
        </Button>
        <Button type="submit" kind="main" disabled={put.isPending || !whole || v.name.trim() === ""}>
          Set
        </Button>
      </div>
    </form>
  );
}

/** When the rule would have had alarms: a strip of the seven days, and the list. */
function Tried({ t, unit, absent }: { t: AlarmRuleTrial; unit: string; absent: boolean }) {
  const from = Date.parse(t.from);
  const span = Date.parse(t.to) - from;
  const share = (at: string) => Math.min(100, Math.max(0, (100 * (Date.parse(at) - from)) / span));
  return (
    <section aria-label="When it would have had alarms" className="sm:col-span-3">
      <p className="font-medium">
        {t.total === 0 ? "It would have had no alarm" : `It would have had ${many(t.total, "alarm")}`}
        <span className="font-normal text-soft">
          {" "}
          in the last 7 days, of {many(t.things, "reading")} in steps of {seconds(t.step_s)}
          {t.more && "; it picks more than were looked at"}
        </span>
      </p>
      <svg
        viewBox="0 0 100 6"
        preserveAspectRatio="none"
        className="mt-1 h-4 w-full rounded-sm border border-rule bg-ground"
        role="img"
        aria-label={`${t.total} alarms over seven days`}
      >
        {t.times.map((e) => (
          <rect
            key={`${e.device} ${e.thing} ${e.from}`}
            x={share(e.from)}
            width={Math.max(0.4, share(e.to ?? t.to) - share(e.from))}
            y="0"
            height="6"
            className="fill-down"
            fillOpacity="0.6"
          />
        ))}
      </svg>
      {t.times.length > 0 && (
        <ScrollRegion
          label="Alarms that it would have had"
          className="mt-2 max-h-44 overflow-auto rounded border border-rule"
        >
          <table className="w-full border-collapse text-left text-sm">
            <thead className="sticky top-0 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
              <tr>
                {["From", "Until", "Of", ...(absent ? [] : ["Worst"])].map((h) => (
                  <th key={h} scope="col" className="h-7 whitespace-nowrap px-2.5 font-medium">
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {t.times.map((e) => (
                <tr key={`${e.device} ${e.thing} ${e.from}`} className="border-t border-rule/60 first:border-0">
                  <td className="h-6 whitespace-nowrap px-2.5 tabular-nums">{dayTime(e.from)}</td>
                  <td className="whitespace-nowrap px-2.5 tabular-nums">{e.to ? dayTime(e.to) : "now"}</td>
                  <td className="px-2.5 font-mono">
                    <Link className="hover:underline" to={`/devices/${e.device}`}>
                      {e.device}
                      {e.thing && `:${e.thing}`}
                    </Link>
                  </td>
                  {!absent && <td className="px-2.5 text-right tabular-nums">{amount(e.worst, unit)}</td>}
                </tr>
              ))}
            </tbody>
          </table>
        </ScrollRegion>
      )}
    </section>
  );
}
