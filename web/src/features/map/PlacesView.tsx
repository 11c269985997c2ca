import { Link } from "react-router";
import { useList } from "../../api/lists";
import { useScope } from "../../app/view";
import { Empty, Failure, Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { drawSites, type Tie } from "./drawing";
import { useMap } from "./queries";

const width = 1000;
const kmPerDegree = 111.2; // of latitude

/** The sites where they lie on the earth, by their coordinates; drawn without anybody's maps. */
export function PlacesView() {
  const [scope] = useScope();
  const sites = useList("sites", { where: scope, sort: "site.title" });
  const map = useMap(scope, 0);
  if (sites.isError) return <Failure error={sites.error} retry={() => void sites.refetch()} />;
  const all = sites.data?.items ?? [];
  const placed = all.flatMap((s) => (s.position ? [{ s, at: s.position }] : []));
  const rest = all.filter((s) => !s.position);
  if (!map.data || !sites.data) return null;
  if (placed.length === 0)
    return (
      <Empty title="No site has coordinates">Give sites their latitude and longitude, and they are drawn here.</Empty>
    );
  const drawing = drawSites(map.data, all);
  const norths = placed.map((p) => p.at.latitude);
  const easts = placed.map((p) => p.at.longitude);
  const [south, north] = [Math.min(...norths), Math.max(...norths)];
  const [west, east] = [Math.min(...easts), Math.max(...easts)];
  const squeeze = Math.cos((((south + north) / 2) * Math.PI) / 180);
  const pad = 0.14 * Math.max(north - south, (east - west) * squeeze, 0.02);
  const room = 0.2 * ((east - west) * squeeze + 2 * pad); // for the titles of what lies in the east
  const scale = width / ((east - west) * squeeze + 2 * pad + room);
  const height = Math.max(380, (north - south + 2 * pad) * scale);
  const x = (lon: number) => ((lon - west) * squeeze + pad) * scale;
  const y = (lat: number) => (north - lat + pad) * scale;
  const step = [0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20].find((d) => d * scale > 90) ?? 45;
  const lines = (from: number, to: number) => {
    const out: number[] = [];
    for (let v = Math.ceil((from - 2 * pad) / step) * step; v < to + (2 * (pad + room)) / squeeze; v += step)
      out.push(v);
    return out;
  };
  const km = [1, 2, 5, 10, 20, 50, 100, 200, 500].findLast((k) => (k / kmPerDegree) * scale < 200) ?? 1;
  const at = new Map(placed.map((p) => [p.s.name, [x(p.at.longitude), y(p.at.latitude)] as const]));
  const health = new Map(drawing.spots.map((s) => [s.id, s]));
  const colour = (t: Tie) =>
    t.health === "down" ? "var(--down)" : t.health === "degraded" ? "var(--degraded)" : "var(--soft)";
  return (
    <div className="grid items-start gap-3 lg:grid-cols-[minmax(0,1fr)_240px]">
      <section aria-label="Sites by their coordinates" className="overflow-hidden rounded border border-rule bg-ground">
        <svg
          viewBox={`0 0 ${width} ${height}`}
          className="mx-auto block max-h-[calc(100vh-140px)] w-full"
          role="img"
          aria-label="Chart of the sites"
        >
          {lines(west, east).map((v) => (
            <g key={`e${v}`}>
              <path d={`M${x(v)} 0V${height}`} stroke="var(--rule)" />
              <text x={x(v) + 4} y={height - 6} className="fill-soft text-[11px]">
                {Math.abs(v).toFixed(2)}° {v < 0 ? "W" : "E"}
              </text>
            </g>
          ))}
          {lines(south, north).map((v) => (
            <g key={`n${v}`}>
              <path d={`M0 ${y(v)}H${width}`} stroke="var(--rule)" />
              <text x={4} y={y(v) - 4} className="fill-soft text-[11px]">
                {Math.abs(v).toFixed(2)}° {v < 0 ? "S" : "N"}
              </text>
            </g>
          ))}
          {drawing.ties.map((t) => {
            const a = at.get(t.a);
            const b = at.get(t.b);
            if (!a || !b) return null;
            const bend = t.tunnel ? 18 : 0;
            const [mx, my] = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2 - bend];
            return (
              <path
                key={t.id}
                d={`M${a[0]} ${a[1]}Q${mx} ${my} ${b[0]} ${b[1]}`}
                fill="none"
                stroke={colour(t)}
                strokeWidth={t.tunnel ? 1.3 : 2.5}
                strokeDasharray={t.tunnel ? "7 5" : t.radio ? "2 4" : undefined}
              >
                <title>{`${t.a} to ${t.b}: ${t.label}`}</title>
              </path>
            );
          })}
          {placed.map(({ s }) => {
            const [px, py] = at.get(s.name) ?? [0, 0];
            const spot = health.get(s.name);
            const right = px > width - 190;
            return (
              <g key={s.name} transform={`translate(${px} ${py})`}>
                <SiteMark state={spot?.health ?? "unknown"} />
                <Link to={`/map?site=${s.name}`}>
                  <text
                    x={right ? -13 : 13}
                    y={1}
                    textAnchor={right ? "end" : "start"}
                    className="fill-ink text-[14px] font-semibold"
                    style={{ paintOrder: "stroke", stroke: "var(--ground)", strokeWidth: 4 }}
                  >
                    {s.title}
                  </text>
                  <text
                    x={right ? -13 : 13}
                    y={16}
                    textAnchor={right ? "end" : "start"}
                    className="fill-soft text-[11.5px]"
                    style={{ paintOrder: "stroke", stroke: "var(--ground)", strokeWidth: 4 }}
                  >
                    {spot?.note ?? "no devices"}
                  </text>
                </Link>
              </g>
            );
          })}
          <g transform={`translate(${width - 30 - (km / kmPerDegree) * scale} 24)`}>
            <path d={`M0 -4v8M0 0h${(km / kmPerDegree) * scale}m0 -4v8`} stroke="var(--ink)" fill="none" />
            <text x={((km / kmPerDegree) * scale) / 2} y={16} textAnchor="middle" className="fill-ink text-[12px]">
              {km} km
            </text>
          </g>
        </svg>
      </section>
      <Panel title="Without coordinates">
        <ul className="grid gap-1.5 p-3">
          {rest.map((s) => (
            <li key={s.name} className="flex items-center gap-2">
              <HealthMark state={health.get(s.name)?.health ?? "unknown"} word="" />
              <Link to={`/map?site=${s.name}`}>{s.title}</Link>
            </li>
          ))}
          {rest.length === 0 && <li className="text-soft">Every site has its place.</li>}
        </ul>
      </Panel>
    </div>
  );
}

/** The day shape of a state, large enough for a chart. */
function SiteMark({ state }: { state: string }) {
  const fill: Record<string, string> = {
    well: "var(--well)",
    degraded: "var(--degraded)",
    down: "var(--down)",
  };
  const c = fill[state] ?? "var(--unknown)";
  const halo = { stroke: "var(--panel)", strokeWidth: 2 };
  if (state === "well") return <circle r={7.5} fill={c} {...halo} />;
  if (state === "degraded") return <path d="M0 -9 9 0 0 9 -9 0z" fill={c} {...halo} />;
  if (state === "down") return <path d="M-9 -7h18L0 9z" fill={c} {...halo} />;
  return <path d="M0 -8 8 0 0 8 -8 0z" fill="var(--panel)" stroke={c} strokeWidth={2} />;
}
