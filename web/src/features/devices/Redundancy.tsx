import type { DeviceDetail } from "../../api/client";
import { Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { dayTime } from "../../ui/time";
import { ringShape } from "../settings/ObjectState";

type In = NonNullable<DeviceDetail["inside"]>;

/** Whether a device tells anything of what stands in for each other, or of what is wired to it. */
export const hasRedundancy = (i: In) => Boolean(i.rings?.length || i.pair || i.controller || i.contacts?.length);

/** Rings, the other of a pair, the process controller, and contacts that are wired to the device. */
export function Redundancy({ i }: { i: In }) {
  return (
    <div className="grid items-start gap-3 lg:grid-cols-2">
      {i.rings?.map((r) => (
        <Panel key={r.name} title={`Ring ${r.name}`} aside="IEC 62439-2">
          <dl className="grid grid-cols-[130px_minmax(0,1fr)] gap-y-1 px-3 py-2">
            <dt className="text-soft">State</dt>
            <dd>
              <HealthMark state={ringShape[r.state] ?? "unknown"} word={r.state} />
            </dd>
            <dt className="text-soft">This switch is</dt>
            <dd>{r.acts_as}</dd>
            <dt className="text-soft">It blocks</dt>
            <dd className="font-mono text-sm">{r.blocked || "nothing"}</dd>
            <dt className="text-soft">Opened or closed</dt>
            <dd>{r.changes} times since it came up</dd>
          </dl>
        </Panel>
      ))}
      {i.pair && (
        <Panel title={`Pair ${i.pair.name}`}>
          <dl className="grid grid-cols-[130px_minmax(0,1fr)] gap-y-1 px-3 py-2">
            <dt className="text-soft">State</dt>
            <dd>
              <HealthMark state={i.pair.joined ? "well" : "down"} word={i.pair.joined ? "joined" : "alone"} />
            </dd>
            <dt className="text-soft">Keepalive</dt>
            <dd>{i.pair.keepalive || "none is set"}</dd>
          </dl>
        </Panel>
      )}
      {i.controller && (
        <Panel title="Process controller">
          <p className="flex items-center gap-3 px-3 py-2">
            <HealthMark
              state={i.controller.connected ? "well" : "down"}
              word={i.controller.connected ? "connected" : "lost"}
            />
            <span className="font-mono text-sm">{i.controller.address}</span>
            <span className="text-soft">since {dayTime(i.controller.since)}</span>
          </p>
        </Panel>
      )}
      {i.contacts && i.contacts.length > 0 && (
        <Panel title="Contact inputs">
          <ul className="divide-y divide-rule/60">
            {i.contacts.map((c) => (
              <li key={c.number} className="grid h-[30px] grid-cols-[30px_100px_minmax(0,1fr)_90px] items-center px-3">
                <span className="font-mono text-sm">{c.number}</span>
                <HealthMark state={c.alarm ? "degraded" : "well"} word={c.alarm ? "in alarm" : "quiet"} />
                <span className="truncate">{c.text || <span className="text-soft">without a text</span>}</span>
                <span className="text-right text-soft">
                  {c.contact}, {c.severity}
                </span>
              </li>
            ))}
          </ul>
        </Panel>
      )}
    </div>
  );
}
