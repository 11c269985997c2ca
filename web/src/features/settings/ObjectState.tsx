import type { ReactNode } from "react";
import type { DeviceDetail, DeviceObject } from "../../api/client";
import { HealthMark } from "../../ui/health";
import { Ago } from "../../ui/time";

const count = (n: number) => n.toLocaleString("en-GB");

/** How a part of a device fares: what an access list decided on, what was sent of a class, whether a ring is whole. */
export function ObjectState({ d, o }: { d: DeviceDetail; o: DeviceObject }) {
  const i = d.inside;
  const name = o.name.slice(o.kind.length + 1);
  if (!i) return null;
  const told: ReactNode[] = [];
  if (o.kind === "acl") return <Hits d={d} o={o} name={name} />;
  const ring = o.kind === "ring" && i.rings?.find((r) => r.name === name);
  if (ring) {
    told.push(<HealthMark state={ringShape[ring.state] ?? "unknown"} word={`ring ${ring.state}`} />);
    told.push(`this switch is ${ring.acts_as}`);
    if (ring.blocked) told.push(`it blocks ${ring.blocked}`);
    told.push(`opened or closed ${ring.changes} times`);
  }
  if (o.kind === "pair" && i.pair) {
    told.push(<HealthMark state={i.pair.joined ? "well" : "down"} word={i.pair.joined ? "joined" : "alone"} />);
    if (i.pair.keepalive) told.push(`keepalive ${i.pair.keepalive}`);
  }
  const sent = o.kind === "class" && i.classes?.find((c) => String(c.class) === name);
  if (sent)
    told.push(`${count(sent.sent_frames)} frames sent`, `${count(sent.dropped_frames)} dropped for want of room`);
  const contact = o.kind === "input" && i.contacts?.find((c) => c.number === name);
  if (contact)
    told.push(
      <HealthMark state={contact.alarm ? "degraded" : "well"} word={contact.alarm ? "in alarm" : "quiet"} />,
      `the contact is ${contact.contact}`,
    );
  const member = o.kind === "member" && i.cluster?.members.find((m) => m.name === name);
  if (member) told.push(<HealthMark state={member.role === "missing" ? "down" : "well"} word={member.role} />);
  if (told.length === 0) return null;
  return (
    <p className="mb-2 flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-rule pb-2">
      {told.map((t, n) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: they keep their order
        <span key={n}>{t}</span>
      ))}
      <span className="text-sm text-soft">
        <Ago at={i.observed_at} />
      </span>
    </p>
  );
}

/** The shape of a ring's state. */
export const ringShape: Record<string, string> = { closed: "well", open: "degraded", undefined: "down" };

/** The rules of an access list with how often each decided. */
function Hits({ d, o, name }: { d: DeviceDetail; o: DeviceObject; name: string }) {
  const rows = d.inside?.lists?.find((l) => l.name === name)?.rows ?? [];
  if (rows.length === 0) return null;
  return (
    <table className="mb-3 w-full border-collapse text-sm">
      <thead>
        <tr className="border-b border-rule text-left text-soft">
          <th className="w-12 py-0.5 font-normal">#</th>
          <th className="font-normal">Rule</th>
          <th className="w-36 text-right font-normal">
            Decided on, frames (<Ago at={d.inside?.observed_at ?? ""} />)
          </th>
        </tr>
      </thead>
      <tbody>
        {rows.map((r) => (
          <tr key={r.row} className="border-b border-rule/60">
            <td className="py-0.5 text-soft">{r.row}</td>
            <td className="font-mono">{o.settings[`rules/${r.row}`] ?? "a rule that cannot be told"}</td>
            <td className="text-right tabular-nums">{count(r.frames)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
