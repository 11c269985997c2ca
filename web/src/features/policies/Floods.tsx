import { clsx } from "clsx";
import type { PolicyFlood } from "../../api/client";
import { ScrollRegion } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { Ago } from "../../ui/time";

const count = (n: number) => n.toLocaleString("en-GB");
const right = ["Dropped"];

/** What the flood limits of zones dropped. */
export function Floods({ list }: { list: PolicyFlood[] }) {
  return (
    <ScrollRegion label="Floods" className="max-h-[40vh] overflow-auto border-t border-rule">
      <table className="w-full border-collapse text-left text-sm">
        <thead className="sticky top-0 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
          <tr>
            {["Flood of", "Zone", "Now", "Dropped", "Source", "Last"].map((h) => (
              <th
                key={h}
                scope="col"
                className={clsx("h-7 whitespace-nowrap px-2 font-medium", right.includes(h) && "text-right")}
              >
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {list.map((f) => (
            <tr key={`${f.zone} ${f.protocol}`} className="border-t border-rule/60 first:border-0">
              <td className="px-2 py-1 uppercase">{f.protocol}</td>
              <td className="px-2 py-1 font-mono">{f.zone}</td>
              <td className="whitespace-nowrap px-2 py-1">
                {f.rate > 0 ? (
                  <HealthMark state="degraded" word={`drops ${count(f.rate)} a second`} />
                ) : (
                  <HealthMark state="well" word="over" />
                )}
              </td>
              <td className="px-2 py-1 text-right tabular-nums">{count(f.dropped_sessions)}</td>
              <td className="px-2 py-1 font-mono">{f.source}</td>
              <td className="whitespace-nowrap px-2 py-1 text-soft">{f.last_at ? <Ago at={f.last_at} /> : "never"}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </ScrollRegion>
  );
}
