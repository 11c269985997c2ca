import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take } from "../../api/client";
import { useKept, useView } from "../../app/view";
import { Empty, Failure, inputClass, Panel } from "../../ui/controls";
import { many, moment } from "../../ui/time";
import { Delta } from "./Delta";

const periods: [string, string][] = [
  ["1h", "an hour ago"],
  ["24h", "yesterday"],
  ["7d", "a week ago"],
  ["30d", "30 days ago"],
];

const hours: Record<string, number> = { "1h": 1, "24h": 24, "7d": 168, "30d": 720 };

/** A time as the field for it takes it, in the zone of the browser. */
const local = (at: Date) => new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);

/** What differs between two moments of the devices in scope: which settings, who made it so, in which change. */
export function CompareView() {
  const [scope] = useView("scope");
  const [ago, setAgo] = useView("ago", "24h");
  const [from, setFrom] = useView("from");
  const [to, setTo] = useView("to");
  const [, setTray] = useView("tray");
  const kept = useKept();
  const comparison = useQuery({
    queryKey: ["reading", "comparison", scope, ago, from, to],
    queryFn: () =>
      take(
        api.GET("/api/v1/comparison", {
          params: {
            query: {
              where: scope,
              from: from
                ? new Date(from).toISOString()
                : new Date(Date.now() - (hours[ago] ?? 24) * 3_600_000).toISOString(),
              to: to ? new Date(to).toISOString() : undefined,
            },
          },
        }),
      ),
    placeholderData: (old) => old,
  });
  const c = comparison.data;
  const seconds = (at: string) => moment(new Date(at).getTime() / 1000, 60);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex flex-wrap items-end gap-3">
        <fieldset className="flex flex-wrap items-center gap-1">
          <legend className="mb-0.5 text-sm font-medium">Since</legend>
          {periods.map(([p, word]) => (
            <button
              key={p}
              type="button"
              aria-pressed={!from && p === ago}
              onClick={() => {
                setFrom("");
                setAgo(p);
              }}
              className="h-7 rounded-sm border border-rule bg-raised px-2 hover:border-soft aria-pressed:border-accent aria-pressed:bg-accent-soft aria-pressed:font-semibold"
            >
              {word}
            </button>
          ))}
        </fieldset>
        <label className="grid text-sm font-medium">
          or since
          <input
            type="datetime-local"
            className={`${inputClass} mt-0.5 !w-52`}
            value={from}
            max={local(new Date())}
            onChange={(e) => setFrom(e.target.value)}
          />
        </label>
        <label className="grid text-sm font-medium">
          until (now when left out)
          <input
            type="datetime-local"
            className={`${inputClass} mt-0.5 !w-52`}
            value={to}
            max={local(new Date())}
            onChange={(e) => setTo(e.target.value)}
          />
        </label>
      </div>
      {comparison.isError && <Failure error={comparison.error} retry={() => void comparison.refetch()} />}
      {c && (
        <p className="text-soft">
          {c.devices.length} of {many(c.compared, "device")} {c.devices.length === 1 ? "differs" : "differ"} between{" "}
          {seconds(c.from)} and {seconds(c.to)}.
        </p>
      )}
      {c?.devices.length === 0 && (
        <Empty title="Nothing differs">All devices in scope are set as they were then.</Empty>
      )}
      {c?.devices.map((d) => (
        <Panel
          key={d.device}
          title={
            <Link to={kept(`/devices/${d.device}?tab=changes`)} className="font-mono text-buff-ink">
              {d.device}
            </Link>
          }
          aside={d.settings > 0 ? many(d.settings, "setting") : "only what is not among the settings"}
        >
          <table className="w-full table-fixed border-collapse text-left">
            <thead className="text-sm text-soft">
              <tr className="border-b border-rule">
                <th className="w-[16%] px-3 py-1 font-medium">On</th>
                <th className="w-[18%] py-1 font-medium">Setting</th>
                <th className="py-1 font-medium">Before</th>
                <th className="py-1 font-medium">After</th>
              </tr>
            </thead>
            <tbody>
              {c.differences
                .filter((x) => x.port === d.device || x.port.startsWith(`${d.device}:`))
                .map((x) => (
                  <tr key={x.port + x.field} className="border-b border-rule/60 align-top last:border-0">
                    <td className="break-words px-3 py-1 font-mono text-sm">
                      {x.port.slice(d.device.length + 1) || "device"}
                    </td>
                    <td className="py-1 text-soft">{x.field}</td>
                    <Delta field={x.field} before={x.before} after={x.after} />
                  </tr>
                ))}
            </tbody>
          </table>
          <ul className="border-t border-rule px-3 py-1 text-sm text-soft">
            {d.steps.map((s) => (
              <li key={s.at}>
                {seconds(s.at)}:{" "}
                {s.change ? (
                  <button
                    type="button"
                    className="text-accent hover:underline"
                    onClick={() => setTray(String(s.change))}
                  >
                    in change {s.change}
                  </button>
                ) : (
                  "outside of any change"
                )}
                {s.by && ` by ${s.by}`}
              </li>
            ))}
          </ul>
        </Panel>
      ))}
    </div>
  );
}
