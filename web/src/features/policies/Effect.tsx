import type { Change } from "../../api/client";
import { Failure, ScrollRegion } from "../../ui/controls";
import { Shape } from "../../ui/health";
import { useChangePolicy } from "./queries";

const ofPolicies = /(^|:|\/)(policy|address|service|security-zone|schedule)\//;

/** What a change lets firewalls pass, and what it has them stop; nothing where it is not about that. */
export function Effect({ c }: { c: Change }) {
  const about = (c.edits ?? []).some((e) => ofPolicies.test(e.port));
  const effect = useChangePolicy(c.number, `${c.state} ${c.updated_at}`, about);
  if (!about) return null;
  if (effect.isError) return <Failure error={effect.error} />;
  const items = effect.data?.items;
  if (!items) return null;
  return (
    <section aria-label="What passes">
      <h4 className="mb-1 font-semibold">What passes</h4>
      {items.length === 0 ? (
        <p className="text-sm text-soft">The firewalls let pass what they let pass now, and nothing else.</p>
      ) : (
        <ScrollRegion label="What passes" className="max-h-64 overflow-auto rounded border border-rule">
          <table className="w-full border-collapse text-left text-sm">
            <thead className="sticky top-0 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
              <tr>
                {["It", "Service", "From", "To", "Rule"].map((h) => (
                  <th key={h} scope="col" className="h-6 px-2 font-medium">
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {items.map((d) => (
                <tr
                  key={`${d.device} ${d.opens} ${d.rule} ${d.from} ${d.to} ${d.source} ${d.destination} ${d.service}`}
                  className="border-t border-rule/60 align-top first:border-0"
                >
                  <td className="whitespace-nowrap px-2 py-0.5">
                    <span className="inline-flex items-center gap-1.5">
                      <Shape state={d.opens ? "degraded" : "down"} size={10} />
                      {d.opens ? "opens" : "closes"}
                    </span>
                  </td>
                  <td className="px-2 py-0.5 font-mono">{d.service}</td>
                  <td className="px-2 py-0.5">
                    {d.from} <span className="font-mono text-soft">{d.source}</span>
                  </td>
                  <td className="px-2 py-0.5">
                    {d.to} <span className="font-mono text-soft">{d.destination}</span>
                  </td>
                  <td className="whitespace-nowrap px-2 py-0.5 font-mono text-soft">
                    {d.device} {d.rule > 0 && d.rule}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </ScrollRegion>
      )}
      {effect.data && !effect.data.whole && <p className="text-sm text-soft">There is more than can be told.</p>}
    </section>
  );
}
