import { Link } from "react-router";
import { useScope } from "../../app/view";
import { Failure } from "../../ui/controls";
import { useLinkUse } from "../history/queries";
import type { Range } from "../history/range";
import { rate } from "../ports/columns";

/** The links that were used most, each by its busier direction. */
export function BusiestLinks({ range }: { range: Range }) {
  const [scope] = useScope();
  const use = useLinkUse(scope, 5, range);
  const rows = use.data?.items ?? [];
  return (
    <>
      {use.isError && <Failure error={use.error} retry={() => void use.refetch()} />}
      <table className="w-full table-fixed text-left text-sm">
        <thead>
          <tr className="h-[26px] border-b border-rule/60 text-soft">
            <th className="pl-3 font-medium">Link</th>
            <th className="w-[84px] text-right font-medium">Mean</th>
            <th className="w-[52px] text-right font-medium">Use</th>
            <th className="w-[62px] pr-3 text-right font-medium">Peak</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((l) => (
            <tr
              key={`${l.a.device}:${l.a.name} ${l.b.device}`}
              className="h-[25px] border-b border-rule/40 last:border-0"
            >
              <td
                className="truncate pl-3"
                title={`${l.a.device}:${l.a.name} to ${l.b.device}:${l.b.name}, ${l.speed_mbps} Mbit/s`}
              >
                <Link
                  to={`/devices/${l.a.device}?sel=${encodeURIComponent((l.a.ports ?? []).join(","))}&tab=history&part=port`}
                  className="font-mono"
                >
                  {l.a.device}:{l.a.name}
                </Link>{" "}
                <span className="text-soft">{l.b.device}</span>
              </td>
              <td className="text-right">{rate(Math.max(l.mean_ab_bps, l.mean_ba_bps))}</td>
              <td className="text-right font-medium">{l.use_mean_percent.toFixed(1)} %</td>
              <td className="pr-3 text-right">{l.use_peak_percent.toFixed(1)} %</td>
            </tr>
          ))}
        </tbody>
      </table>
      {use.data && rows.length === 0 && <p className="px-3 py-2 text-soft">Nothing was read in this time.</p>}
    </>
  );
}
