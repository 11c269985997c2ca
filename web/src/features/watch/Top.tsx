import { Link } from "react-router";
import { useScope, useView } from "../../app/view";
import { amount } from "../../ui/amount";
import { Failure, Panel } from "../../ui/controls";
import { many } from "../../ui/time";
import { useTop } from "../history/queries";
import type { Range } from "../history/range";
import { BusiestLinks } from "./BusiestLinks";

/** What can be ranked, with how the choice is called. */
const readings: [reading: string, word: string, order?: "peak" | "least"][] = [
  ["links", "Links that were used most"],
  ["port.use", "Ports that were used most"],
  ["port.rx_errors", "Ports with errors"],
  ["device.cpu", "Busiest processors"],
  ["device.memory", "Fullest memories"],
  ["device.temperature", "Hottest devices", "peak"],
  ["device.poe_draw", "Power fed"],
  ["device.clients", "Most clients"],
  ["radio.busy", "Busiest radios"],
  ["radio-link.received", "Weakest radio links", "least"],
  ["tunnel.loss", "Tunnels that lose"],
];

/** What ranked high in a time, by a reading that one chooses. */
export function Top({ range }: { range: Range }) {
  const [chosen, choose] = useView("top", "links");
  const reading = readings.find(([r]) => r === chosen)?.[0] ?? "links";
  return (
    <Panel
      title={
        <select
          aria-label="What is ranked"
          value={reading}
          onChange={(e) => choose(e.target.value)}
          className="-ml-1 h-6 rounded-sm border border-transparent bg-transparent px-0.5 font-semibold text-buff-ink hover:border-rule"
        >
          {readings.map(([r, w]) => (
            <option key={r} value={r} className="bg-raised text-ink">
              {w}
            </option>
          ))}
        </select>
      }
    >
      {reading === "links" ? <BusiestLinks range={range} /> : <Ranked reading={reading} range={range} />}
    </Panel>
  );
}

function Ranked({ reading, range }: { reading: string; range: Range }) {
  const [scope] = useScope();
  const order = readings.find(([r]) => r === reading)?.[2] ?? "mean";
  const top = useTop(scope, reading, order, 5, range);
  const quiet = reading === "port.rx_errors" || reading === "tunnel.loss";
  const rows = (top.data?.items ?? []).filter((r) => !quiet || r.peak > 0);
  const unit = top.data?.unit ?? "";
  const part = reading.split(".")[0];
  if (top.isError) return <Failure error={top.error} retry={() => void top.refetch()} />;
  return (
    <>
      <table className="w-full table-fixed text-left text-sm">
        <thead>
          <tr className="h-[26px] border-b border-rule/60 text-soft">
            <th scope="col" className="pl-3 font-medium">
              Of {top.data ? many(top.data.total, "reading") : ""}
            </th>
            <th scope="col" className="w-[72px] text-right font-medium">
              Mean
            </th>
            <th scope="col" className="w-[82px] pr-3 text-right font-medium">
              Peak
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <tr key={`${r.device}:${r.name}`} className="h-[25px] border-b border-rule/40 last:border-0">
              <td className="truncate pl-3" title={r.text}>
                <Link
                  className="font-mono"
                  to={`/devices/${r.device}?tab=history${part === "device" ? "" : `&part=${part}`}${part === "port" && r.name ? `&sel=${encodeURIComponent(r.name)}` : ""}`}
                >
                  {r.device}
                  {r.name && `:${r.name}`}
                </Link>{" "}
                <span className="text-soft">{r.text}</span>
              </td>
              <td className="text-right font-medium tabular-nums">{amount(r.mean, unit)}</td>
              <td className="pr-3 text-right tabular-nums">{amount(r.peak, unit)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {top.data && rows.length === 0 && (
        <p className="px-3 py-2 text-soft">
          {quiet && top.data.total > 0 ? "None in this time." : "Nothing was read in this time."}
        </p>
      )}
      {top.data?.more && <p className="px-3 py-1 text-sm text-soft">Of the first 500 devices: narrow the scope.</p>}
    </>
  );
}
