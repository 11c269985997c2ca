import type { DeviceDetail, Person } from "../../api/client";
import { isDraft, useAddEdits, useChanges } from "../../api/queries";
import { useView } from "../../app/view";
import { Button, Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { many } from "../../ui/time";

type In = NonNullable<DeviceDetail["inside"]>;

/** What the device offers over the network, and its licences. */
export function Services({ i, d, me }: { i: In; d: DeviceDetail; me: Person }) {
  return (
    <div className="grid items-start gap-3 grid-cols-[repeat(auto-fit,minmax(min(100%,430px),1fr))]">
      {(i.services?.length ?? 0) > 0 && <Offered i={i} d={d} me={me} />}
      {(i.licences?.length ?? 0) > 0 && <Licences i={i} />}
    </div>
  );
}

function Offered({ i, d, me }: { i: In; d: DeviceDetail; me: Person }) {
  const changes = useChanges();
  const add = useAddEdits();
  const [, setTray] = useView("tray");
  const may = d.rights.includes("change devices");
  const draft = changes.data?.items.find((c) => isDraft(c) && c.owner === me.name);
  const planned = new Map(
    draft?.edits.filter((e) => e.port === d.name).map((e) => [e.field.replace("service.", ""), e.value]) ?? [],
  );
  const put = (name: string, value: string) =>
    add.mutate(
      { draft: draft?.number, edits: [{ port: d.name, field: `service.${name}`, value }] },
      { onSuccess: (c) => setTray(String(c.number)) },
    );
  return (
    <Panel title={many(i.services?.length ?? 0, "service")} aside={may && "switching goes into a draft"}>
      <ul className="divide-y divide-rule/60">
        {i.services?.map((s) => (
          <li key={s.name} className="grid min-h-10 grid-cols-[90px_120px_minmax(0,1fr)_auto] items-center gap-2 px-3">
            <span className="font-mono text-sm">{s.name}</span>
            <HealthMark
              state={s.enabled ? (s.running ? "well" : "down") : "off"}
              word={s.enabled ? (s.running ? "answers" : "does not answer") : "switched off"}
            />
            <span className="truncate text-soft" title={s.about}>
              {s.about}
              {s.port ? `, TCP ${s.port}` : ""}
            </span>
            {planned.has(s.name) ? (
              <span className="text-sm text-accent">
                {planned.get(s.name)} in draft {draft?.number}
              </span>
            ) : (
              may && (
                <Button
                  disabled={add.isPending || d.reach !== "connected"}
                  onClick={() => put(s.name, s.enabled ? "off" : "on")}
                >
                  Switch<span className="sr-only"> {s.name}</span> {s.enabled ? "off" : "on"}
                </Button>
              )
            )}
          </li>
        ))}
      </ul>
      {add.isError && (
        <p role="alert" className="border-t border-rule px-3 py-2 text-down">
          {add.error.message}
        </p>
      )}
    </Panel>
  );
}

/** As LicenceSoon of the interface: from then on a licence is to be seen to. */
const soonDays = 30;

function Licences({ i }: { i: In }) {
  return (
    <Panel title={many(i.licences?.length ?? 0, "licence")}>
      <ul className="divide-y divide-rule/60">
        {i.licences?.map((l) => {
          const endless = l.ends.startsWith("0001");
          const days = Math.floor((Date.parse(l.ends) - Date.now()) / 86_400_000);
          const state = endless || days >= soonDays ? "well" : days >= 0 ? "degraded" : "down";
          const word = endless ? "without end" : days < 0 ? "ended" : `${days} days left`;
          return (
            <li key={l.name} className="grid min-h-10 grid-cols-[minmax(0,1fr)_120px_96px] items-center gap-3 px-3">
              <span>{l.name}</span>
              <HealthMark state={state} word={word} />
              <span className="text-right font-mono text-sm">{endless ? "" : l.ends.slice(0, 10)}</span>
            </li>
          );
        })}
      </ul>
    </Panel>
  );
}
