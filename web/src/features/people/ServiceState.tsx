import { useQuery } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { api, take } from "../../api/client";
import { Empty, Failure, Panel, ScrollRegion } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { Ago, dayTime } from "../../ui/time";

const every = 15_000; // ms between looks: the stream does not tell of the service itself

const size = (octets: number) =>
  octets >= 1e9 ? `${(octets / 1e9).toFixed(1)} GB` : `${(octets / 1e6).toFixed(octets < 1e7 ? 1 : 0)} MB`;

/** How the service itself fares, what it logged last, and all that is known of it as a file. */
export function ServiceState() {
  const state = useQuery({
    queryKey: ["service"],
    queryFn: () => take(api.GET("/api/v1/service")),
    refetchInterval: every,
  });
  if (state.isError) return <Failure error={state.error} retry={() => void state.refetch()} />;
  const s = state.data;
  if (!s) return null;
  const facts: [string, React.ReactNode][] = [
    ["Version", <span key="v" className="break-all font-mono text-sm">{`${s.version}, ${s.platform}`}</span>],
    ["Running since", <Ago key="a" at={s.started_at} word="" />],
    ["Processors", s.processors],
    ["Memory", size(s.memory_octets)],
    ["Kept in its folder", size(s.kept_octets)],
    ["Disk used", `${Math.round(s.disk_used * 100)} %`],
    ["Users", s.users],
    [
      "Devices",
      Object.entries(s.devices)
        .sort(([a], [b]) => a.localeCompare(b))
        .map(([reach, n]) => `${n} ${reach}`)
        .join(", ") || "none",
    ],
  ];
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-3 xl:grid-cols-[minmax(0,2fr)_minmax(0,3fr)]">
      <Panel
        title="The service"
        aside={
          <a
            href="/api/v1/service/support"
            download
            title="What it logged, its figures and what it is doing now, without secrets, for who made it"
            className="inline-flex h-6 items-center gap-1 text-buff-ink"
          >
            <Download size={14} aria-hidden /> Support file
          </a>
        }
      >
        <dl className="grid grid-cols-[max-content_minmax(0,1fr)] gap-x-4 gap-y-1 p-3">
          {facts.map(([k, v]) => (
            <div key={k} className="contents">
              <dt className="text-soft">{k}</dt>
              <dd className="tabular-nums">{v}</dd>
            </div>
          ))}
        </dl>
      </Panel>
      <Panel title="Warnings and errors that it logged">
        {s.log.length === 0 ? (
          <Empty title="None since it started" />
        ) : (
          <ScrollRegion label="Logged" className="max-h-[60vh] overflow-auto">
            <ul>
              {s.log.map((l, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: lines may be alike
                <li key={i} className="flex gap-3 border-b border-rule/60 px-3 py-1 text-sm last:border-0">
                  <span className="whitespace-nowrap text-soft">{dayTime(l.at)}</span>
                  <HealthMark
                    state={l.level === "ERROR" ? "down" : "degraded"}
                    word={l.level === "ERROR" ? "error" : "warning"}
                  />
                  <span className="min-w-0 break-words font-mono">{l.text}</span>
                </li>
              ))}
            </ul>
          </ScrollRegion>
        )}
      </Panel>
    </div>
  );
}
