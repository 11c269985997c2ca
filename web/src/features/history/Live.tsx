import { useEffect, useRef, useState } from "react";
import type { DeviceDetail } from "../../api/client";
import { amount } from "../../ui/amount";
import { Chart, maxLines } from "../../ui/chart";
import { HealthMark } from "../../ui/health";

type Reading = {
  at: string;
  /** When it came here, by the clock of the browser. */
  got: number;
  device: { cpu_percent?: number; memory_percent?: number; temperature_celsius?: number; poe_mw?: number };
  ports: {
    port: string;
    up: boolean;
    rx_bps: number;
    tx_bps: number;
    errors_fps: number;
    discards_fps: number;
    poe_mw?: number;
  }[];
};

/** How many seconds stay on show. */
const shown = 120;
/** After how long without a reading, in ms, what is shown is not of now. */
const lateAfter = 6000;

/** The readings of a device as they come, while somebody looks. */
function useLive(device: string, ports: string[]) {
  const [readings, set] = useState<Reading[]>([]);
  const [gone, setGone] = useState("");
  const list = ports.join(",");
  useEffect(() => {
    set([]);
    setGone("");
    const source = new EventSource(
      `/api/v1/devices/${encodeURIComponent(device)}/live${list ? `?ports=${encodeURIComponent(list)}` : ""}`,
    );
    source.addEventListener("reading", (e) => {
      const r = { ...(JSON.parse(e.data) as Reading), got: Date.now() };
      setGone("");
      set((old) => [...old, r].slice(-shown));
    });
    source.addEventListener("gone", (e) => {
      source.close();
      setGone((JSON.parse(e.data) as { why: string }).why);
    });
    source.onerror = () => setGone("The service does not answer. It goes on as soon as it does.");
    return () => source.close();
  }, [device, list]);
  // A device that is not read any more says nothing: that shows by the clock.
  const [now, setNow] = useState(Date.now);
  useEffect(() => {
    const tick = setInterval(() => setNow(Date.now()), 1000);
    return () => clearInterval(tick);
  }, []);
  const last = readings.at(-1);
  const stale = last && now - last.got > lateAfter ? last.at : "";
  return { readings, gone, stale };
}

/** The last two minutes of ports, or of the device itself, second by second. */
export function Live({ d, ports }: { d: DeviceDetail; ports: string[] }) {
  const { readings, gone, stale } = useLive(d.name, ports);
  const steps = useRef<{ from: number; grid: (Reading | undefined)[] }>({ from: 0, grid: [] });
  steps.current = onSeconds(readings);
  const { from, grid } = steps.current;
  const last = readings.at(-1);
  const lines = (of: (p: Reading["ports"][number]) => number) =>
    ports.slice(0, maxLines).map((name) => ({
      name,
      mean: grid.map((r) => {
        const p = r?.ports.find((x) => x.port === name);
        return p ? of(p) : null;
      }),
    }));
  const own = (of: (r: Reading) => number | undefined) => grid.map((r) => (r ? (of(r) ?? null) : null));
  const charts =
    ports.length > 0
      ? [
          { title: "Received", unit: "bit/s", lines: lines((p) => p.rx_bps) },
          { title: "Sent", unit: "bit/s", lines: lines((p) => p.tx_bps) },
          { title: "Frames in error", unit: "frames/s", lines: lines((p) => p.errors_fps) },
          { title: "Dropped", unit: "frames/s", lines: lines((p) => p.discards_fps) },
        ]
      : [
          {
            title: "Processor and memory",
            unit: "%",
            lines: [
              { name: "processor", mean: own((r) => r.device.cpu_percent) },
              { name: "memory", mean: own((r) => r.device.memory_percent) },
            ],
          },
          {
            title: "All ports",
            unit: "bit/s",
            lines: [
              { name: "in", mean: own((r) => r.ports.reduce((sum, p) => sum + p.rx_bps, 0)) },
              { name: "out", mean: own((r) => r.ports.reduce((sum, p) => sum + p.tx_bps, 0)) },
            ],
          },
        ];
  return (
    <div>
      <p role="status" className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-rule px-3 py-1.5 text-sm">
        {gone ? (
          <HealthMark state="unknown" word={gone} />
        ) : stale ? (
          <HealthMark state="unknown" word={`not read since ${new Date(stale).toLocaleTimeString("en-GB")}`} />
        ) : last ? (
          <HealthMark state="well" word={`live, read at ${new Date(last.at).toLocaleTimeString("en-GB")}`} />
        ) : (
          <HealthMark state="trial" word="waiting for the first readings" />
        )}
        {last?.ports
          .filter((p) => ports.includes(p.port))
          .map((p) => (
            <span key={p.port} className="tabular-nums">
              <span className="font-mono">{p.port}</span> {p.up ? "" : "down, "}
              {amount(p.rx_bps, "bit/s")} in, {amount(p.tx_bps, "bit/s")} out
            </span>
          ))}
      </p>
      {readings.length > 1 && (
        <div className="grid divide-y divide-rule/60 xl:grid-cols-2 xl:[&>*:nth-child(odd)]:border-r xl:[&>*]:border-rule/60">
          {charts.map((c) => (
            <Chart
              key={c.title}
              title={c.title}
              unit={c.unit}
              from={from}
              step={1}
              lines={c.lines}
              least={0}
              group="live"
            />
          ))}
        </div>
      )}
    </div>
  );
}

/** Readings on a grid of seconds, of which those that were missed are empty. */
function onSeconds(readings: Reading[]) {
  const second = (r: Reading) => Math.round(Date.parse(r.at) / 1000);
  const first = readings[0];
  const last = readings.at(-1);
  if (!first || !last) return { from: 0, grid: [] };
  const from = Math.max(second(first), second(last) - shown);
  const grid: (Reading | undefined)[] = Array.from({ length: second(last) - from + 1 });
  for (const r of readings) if (second(r) >= from) grid[second(r) - from] = r;
  for (let i = 1; i < grid.length; i++) if (!grid[i] && grid[i - 1] && grid[i + 1]) grid[i] = grid[i - 1]; // two came within a second of the clock
  return { from, grid };
}
