import { clsx } from "clsx";
import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import type { Reach as Answer, Person } from "../../api/client";
import { useKept, useTyped } from "../../app/view";
import { Button, Empty, Field, inputClass, Panel, ScrollRegion } from "../../ui/controls";
import { HealthMark, Shape } from "../../ui/health";
import { useOwnDraft } from "../settings/queries";
import { useReach } from "./queries";

const shapes: Record<string, string> = { passes: "well", stops: "down", unknown: "unknown" };
const words: Record<string, string> = { passes: "It passes", stops: "It does not pass", unknown: "Nobody knows" };

/** Asks whether one end reaches another by a service, and shows the way with the line that decides. */
export function Reach({ me }: { me: Person }) {
  const [from, setFrom] = useTyped("from");
  const [to, setTo] = useTyped("to");
  const [by, setBy] = useTyped("by");
  const [drafted, setDrafted] = useState(false);
  const draft = useOwnDraft(me);
  const ask = useReach();
  const [protocol = "tcp", port = ""] = (by || "tcp/443").split("/");
  const submit = (e: FormEvent) => {
    e.preventDefault();
    ask.mutate({
      from: from.trim(),
      to: to.trim(),
      protocol: protocol as "tcp",
      port: protocol === "icmp" ? undefined : Number(port),
      change: drafted && draft ? draft : undefined,
    });
  };
  const bad = protocol !== "icmp" && !(Number(port) > 0 && Number(port) < 65536);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <Panel>
        <form
          onSubmit={submit}
          aria-label="Can it reach?"
          className="grid items-start gap-3 p-3 md:grid-cols-[1fr_1fr_180px_auto]"
        >
          <Field label="From" help="an address, a hardware address, or a name">
            {(id, help) => (
              <input
                id={id}
                aria-describedby={help}
                className={`${inputClass} font-mono`}
                placeholder="10.2.50.42"
                maxLength={100}
                required
                value={from}
                onChange={(e) => setFrom(e.target.value)}
              />
            )}
          </Field>
          <Field label="To" help="the same">
            {(id, help) => (
              <input
                id={id}
                aria-describedby={help}
                className={`${inputClass} font-mono`}
                placeholder="10.1.50.10"
                maxLength={100}
                required
                value={to}
                onChange={(e) => setTo(e.target.value)}
              />
            )}
          </Field>
          <Field label="By" help={bad && port ? "the port is 1 to 65535" : "protocol and port"}>
            {(id, help) => (
              <span className="flex gap-1">
                <select
                  id={id}
                  aria-describedby={help}
                  className={inputClass}
                  value={protocol}
                  onChange={(e) => setBy(e.target.value === "icmp" ? "icmp" : `${e.target.value}/${port || "443"}`)}
                >
                  <option>tcp</option>
                  <option>udp</option>
                  <option>icmp</option>
                </select>
                {protocol !== "icmp" && (
                  <input
                    aria-label="Port"
                    className={`${inputClass} font-mono`}
                    inputMode="numeric"
                    value={port}
                    onChange={(e) => setBy(`${protocol}/${e.target.value.replace(/\D/g, "")}`)}
                  />
                )}
              </span>
            )}
          </Field>
          <div className="flex flex-wrap items-center gap-3 md:pt-5.5">
            {draft !== undefined && (
              <label className="flex items-center gap-1.5 text-sm">
                <input
                  type="checkbox"
                  className="accent-[var(--accent)]"
                  checked={drafted}
                  onChange={(e) => setDrafted(e.target.checked)}
                />
                as draft {draft} makes it
              </label>
            )}
            <Button type="submit" kind="main" disabled={ask.isPending || bad || !from.trim() || !to.trim()}>
              {ask.isPending ? "Looking…" : "Can it?"}
            </Button>
          </div>
        </form>
        {ask.isError && (
          <p role="alert" className="px-3 pb-3 text-down">
            {ask.error.message}
          </p>
        )}
      </Panel>
      {ask.data ? (
        <Way a={ask.data} />
      ) : (
        <Panel>
          <Empty title="Can one reach the other?">
            It is worked out from what devices run and observe: VLANs, access lists, firewalls, routes and tunnels, step
            by step. Nothing is sent.
          </Empty>
        </Panel>
      )}
    </div>
  );
}

function Way({ a }: { a: Answer }) {
  const kept = useKept();
  return (
    <Panel
      title={
        <span className="flex flex-wrap items-baseline gap-x-3">
          <HealthMark state={shapes[a.verdict] ?? "unknown"} word={words[a.verdict]} />
          <span className="text-sm font-normal">
            {a.from} to {a.to}
          </span>
        </span>
      }
    >
      {a.why && <p className="border-b border-rule px-3 py-2">{a.why}</p>}
      <ScrollRegion label="The way" className="max-h-[60vh] overflow-auto">
        <table className="w-full border-collapse text-left text-sm">
          <thead className="sticky top-0 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
            <tr>
              {["Device", "In", "Out", "VLAN", "What happens", "The line that decides"].map((h) => (
                <th key={h} scope="col" className="h-7 whitespace-nowrap px-3 font-medium">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {a.hops.map((h, n) => (
              <tr
                // biome-ignore lint/suspicious/noArrayIndexKey: steps keep their order
                key={n}
                className={clsx(
                  "border-t border-rule/60 align-top first:border-0",
                  h.verdict === "stops" && "bg-minus",
                )}
              >
                <td className="whitespace-nowrap px-3 py-1 font-mono">
                  {h.device && <Link to={kept(`/devices/${h.device}`)}>{h.device}</Link>}
                </td>
                <td className="whitespace-nowrap px-3 py-1 font-mono">{h.in}</td>
                <td className="whitespace-nowrap px-3 py-1 font-mono">{h.out}</td>
                <td className="px-3 py-1 tabular-nums">{h.vlan}</td>
                <td className="px-3 py-1">
                  <span className="inline-flex items-baseline gap-1.5">
                    <Shape state={shapes[h.verdict] ?? "unknown"} size={10} />
                    {h.what}
                  </span>
                </td>
                <td className="px-3 py-1 font-mono">
                  {h.line && h.object && h.device ? (
                    <Link to={kept(`/devices/${h.device}?tab=settings&object=${h.object}`)}>
                      {h.row} {h.line}
                    </Link>
                  ) : (
                    h.line
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </ScrollRegion>
    </Panel>
  );
}
