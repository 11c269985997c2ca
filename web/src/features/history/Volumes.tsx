import { useState } from "react";
import { Choices, Empty, Failure, ScrollRegion } from "../../ui/controls";
import { useVolumes } from "./queries";

const periods = { hour: "48h", day: "30d", month: "366d" } as const;
type By = keyof typeof periods;

/** A number of octets, in thousands. */
function octets(n: number) {
  let v = n;
  for (const unit of ["B", "kB", "MB", "GB", "TB"]) {
    if (v < 1000) return `${unit === "B" ? v.toFixed(0) : v.toFixed(1)} ${unit}`;
    v /= 1000;
  }
  return `${v.toFixed(1)} PB`;
}

/** How much went through a port, by hour, day or month, the newest first. */
export function Volumes({ device, port }: { device: string; port: string }) {
  const [by, setBy] = useState<By>("day");
  const volumes = useVolumes(device, port, by, periods[by]);
  const rows = (volumes.data?.items ?? []).filter((v) => v.known).reverse();
  const most = Math.max(1, ...rows.map((v) => v.rx_octets + v.tx_octets));
  const label = (at: string) => {
    const d = new Date(at);
    if (by === "month") return d.toLocaleDateString("en-GB", { month: "long", year: "numeric" });
    const date = d.toLocaleDateString("en-GB", { weekday: "short", day: "numeric", month: "short" });
    return by === "day" ? date : `${date}, ${d.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" })}`;
  };
  return (
    <section aria-label={`Volumes of ${port}`} className="border-t border-rule">
      <header className="flex flex-wrap items-center gap-3 px-3 py-1.5">
        <span className="font-medium">
          Volumes of <span className="font-mono">{port}</span>
        </span>
        <Choices
          label="By which time"
          value={by}
          of={[
            ["hour", "By hour"],
            ["day", "By day"],
            ["month", "By month"],
          ]}
          pick={(v) => setBy(v as By)}
        />
        <span className="text-sm text-soft">an hour that was read in part counts as if all of it were</span>
      </header>
      {volumes.isError && <Failure error={volumes.error} retry={() => void volumes.refetch()} />}
      {volumes.data && rows.length === 0 && (
        <Empty title="Nothing was read in this time">What goes through shows here once it was read.</Empty>
      )}
      {rows.length > 0 && (
        <ScrollRegion label="Volumes" className="max-h-[300px] overflow-auto">
          <table className="w-full border-collapse text-left text-sm">
            <thead className="sticky top-0 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
              <tr>
                <th scope="col" className="h-7 px-3 font-medium">
                  {by === "hour" ? "Hour" : by === "day" ? "Day" : "Month"}
                </th>
                <th scope="col" className="px-2 text-right font-medium">
                  Received
                </th>
                <th scope="col" className="px-2 text-right font-medium">
                  Sent
                </th>
                <th scope="col" className="px-2 text-right font-medium">
                  Both
                </th>
                <th scope="col" className="w-2/5 px-3 font-medium">
                  <span className="sr-only">Drawn</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {rows.map((v) => (
                <tr key={v.from} className="border-t border-rule/60 first:border-0">
                  <td className="h-6 whitespace-nowrap px-3 tabular-nums">{label(v.from)}</td>
                  <td className="whitespace-nowrap px-2 text-right tabular-nums">{octets(v.rx_octets)}</td>
                  <td className="whitespace-nowrap px-2 text-right tabular-nums">{octets(v.tx_octets)}</td>
                  <td className="whitespace-nowrap px-2 text-right font-medium tabular-nums">
                    {octets(v.rx_octets + v.tx_octets)}
                  </td>
                  <td className="px-3">
                    <span className="flex h-2.5" aria-hidden>
                      <span style={{ background: "var(--line-1)", width: `${(100 * v.rx_octets) / most}%` }} />
                      <span style={{ background: "var(--line-2)", width: `${(100 * v.tx_octets) / most}%` }} />
                    </span>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </ScrollRegion>
      )}
    </section>
  );
}
