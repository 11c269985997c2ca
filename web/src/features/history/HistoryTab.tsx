import { useMemo } from "react";
import type { DeviceDetail, HappenedEvent, History } from "../../api/client";
import { useDeviceChanges, useEvents } from "../../api/queries";
import { useView } from "../../app/view";
import { Chart, type Line, type Mark, maxLines } from "../../ui/chart";
import { Empty, Failure, Panel } from "../../ui/controls";
import { changeWord } from "../../ui/health";
import { Day } from "./Day";
import { Live } from "./Live";
import { beginOf, type Part, useHistory } from "./queries";
import { RangeBar, useRange } from "./range";
import { Volumes } from "./Volumes";

/** What is drawn of each part: a chart for each of these, of one metric or of several. */
const charts: Record<Part, { title: string; metrics: [string, string][]; least?: number }[]> = {
  device: [
    {
      title: "Processor and memory",
      metrics: [
        ["cpu", "processor"],
        ["memory", "memory"],
      ],
      least: 0,
    },
    { title: "Temperature", metrics: [["temperature", "chassis"]] },
    {
      title: "Power",
      metrics: [
        ["power_draw", "taken"],
        ["poe_draw", "fed by ports"],
      ],
      least: 0,
    },
    { title: "Clients", metrics: [["clients", "clients"]], least: 0 },
    { title: "Sessions", metrics: [["sessions", "sessions"]], least: 0 },
  ],
  port: [
    { title: "Received", metrics: [["rx", ""]], least: 0 },
    { title: "Sent", metrics: [["tx", ""]], least: 0 },
    { title: "Frames in error", metrics: [["rx_errors", ""]], least: 0 },
    { title: "Dropped on sending", metrics: [["tx_discards", ""]], least: 0 },
    { title: "Fed by PoE", metrics: [["poe", ""]], least: 0 },
  ],
  tunnel: [
    { title: "Delay", metrics: [["delay", ""]], least: 0 },
    { title: "Jitter", metrics: [["jitter", ""]], least: 0 },
    { title: "Loss", metrics: [["loss", ""]], least: 0 },
  ],
  radio: [
    { title: "Channel taken", metrics: [["busy", ""]], least: 0 },
    { title: "Noise floor", metrics: [["noise", ""]] },
    { title: "Clients", metrics: [["clients", ""]], least: 0 },
  ],
  "radio-link": [
    { title: "Level received", metrics: [["received", "level"]] },
    { title: "Capacity", metrics: [["capacity", "capacity"]], least: 0 },
    {
      title: "Bad seconds",
      metrics: [
        ["es", "errored"],
        ["ses", "severely errored"],
        ["uas", "unavailable"],
      ],
      least: 0,
    },
  ],
  module: [
    { title: "Light received", metrics: [["received", ""]] },
    { title: "Light sent", metrics: [["sent", ""]] },
    { title: "Temperature", metrics: [["temperature", ""]] },
  ],
};

const partWords: Record<Part, string> = {
  device: "Device",
  port: "Ports",
  tunnel: "Tunnels",
  radio: "Radios",
  "radio-link": "Radio link",
  module: "Modules",
};

/** The parts of a device of which something is kept. */
function partsOf(d: DeviceDetail): Part[] {
  const i = d.inside;
  const out: Part[] = ["device", "port"];
  if (i?.tunnels?.length) out.push("tunnel");
  if (i?.radios?.length) out.push("radio");
  if (i?.radio_link) out.push("radio-link");
  if (i?.hardware.transceivers?.length) out.push("module");
  return out;
}

export default function HistoryTab({ d, chosen }: { d: DeviceDetail; chosen: string[] }) {
  const range = useRange();
  const [asked, setPart] = useView("part", "device");
  const [live, setLive] = useView("live");
  const maySeeAlarms = d.rights.includes("see alarms");
  const parts = partsOf(d);
  const part = parts.find((p) => p === asked) ?? "device";
  const of = part === "port" ? (chosen.length ? chosen : busiest(d)).slice(0, maxLines) : [];
  const metric = charts[part].flatMap((c) => c.metrics.map(([m]) => m)).join(",");
  const history = useHistory(d.name, part, of, metric, range);
  const marks = useMarks(d.name, history.data);
  return (
    <Panel
      title={part === "device" ? `${d.name} over time` : `${partWords[part]} of ${d.name} over time`}
      aside={part === "port" && (chosen.length ? "of the chosen ports" : "of the busiest ports: choose others above")}
    >
      <div className="flex flex-wrap items-center justify-between gap-3 border-b border-rule px-3 py-1.5">
        <label className="flex items-center gap-2">
          Show
          <select
            value={part}
            onChange={(e) => setPart(e.target.value)}
            className="h-6 rounded-sm border border-rule bg-raised px-1 text-ink"
          >
            {parts.map((p) => (
              <option key={p} value={p}>
                {partWords[p]}
              </option>
            ))}
          </select>
        </label>
        <span className="flex items-center gap-3">
          {(part === "device" || part === "port") && d.reach === "connected" && (
            <button
              type="button"
              aria-pressed={live === "1"}
              onClick={() => setLive(live === "1" ? "" : "1")}
              title="Read it each second while you look"
              className="h-6 rounded-sm border border-rule px-2 text-sm hover:border-soft aria-pressed:border-accent aria-pressed:font-semibold"
            >
              Live
            </button>
          )}
          {live !== "1" && <RangeBar range={range} />}
        </span>
      </div>
      {part === "port" && of[0] && of.length === 1 && maySeeAlarms && <Day device={d.name} port={of[0]} />}
      {live === "1" && (part === "device" || part === "port") && d.reach === "connected" ? (
        <Live d={d} ports={of} />
      ) : history.isError ? (
        <Failure error={history.error} retry={() => void history.refetch()} />
      ) : !history.data ? (
        <p className="px-3 py-6 text-soft">Reading…</p>
      ) : (
        <Charts h={history.data} part={part} marks={marks} pick={range.pick} />
      )}
      {part === "port" && of[0] && of.length === 1 && <Volumes device={d.name} port={of[0]} />}
    </Panel>
  );
}

function Charts({
  h,
  part,
  marks,
  pick,
}: {
  h: History;
  part: Part;
  marks: Mark[];
  pick: (from: number, to: number) => void;
}) {
  const drawn = useMemo(
    () =>
      charts[part]
        .map((c) => ({
          ...c,
          unit: h.series.find((s) => s.metric === c.metrics[0]?.[0])?.unit ?? "",
          lines: linesOf(h, c.metrics),
        }))
        .filter((c) => c.lines.length > 0),
    [h, part],
  );
  if (drawn.length === 0)
    return <Empty title="Nothing was read in this time">Choose a longer one, or wait for the first readings.</Empty>;
  return (
    <div className="grid divide-y divide-rule/60 xl:grid-cols-2 xl:[&>*:nth-child(odd)]:border-r xl:[&>*]:border-rule/60">
      {drawn.map((c) => (
        <Chart
          key={c.title}
          title={c.title}
          unit={c.unit}
          from={beginOf(h)}
          step={h.step_s}
          lines={c.lines}
          least={c.least}
          marks={marks}
          group="history"
          onSpan={pick}
        />
      ))}
    </div>
  );
}

/** The lines of a chart: of what has any values, and of frames in error or dropped only what had any. */
function linesOf(h: History, metrics: [string, string][]): Line[] {
  const quiet = ["rx_errors", "tx_discards", "poe"];
  return metrics.flatMap(([metric, word]) =>
    h.series
      .filter((s) => s.metric === metric && s.mean.some((v) => v !== null && (v !== 0 || !quiet.includes(metric))))
      .slice(0, maxLines)
      .map((s) => ({
        name: word || s.name || metric,
        mean: s.mean as (number | null)[],
        max: s.max as (number | null)[],
      })),
  );
}

/** The ports over which most goes now. */
const busiest = (d: DeviceDetail) =>
  [...d.port_list]
    .filter((p) => p.health === "well")
    .sort((a, b) => (b.rates ? b.rates.rx_bps + b.rates.tx_bps : 0) - (a.rates ? a.rates.rx_bps + a.rates.tx_bps : 0))
    .slice(0, 4)
    .map((p) => p.port);

/** What happened to a device and what was changed on it, on the axis of time. */
function useMarks(device: string, h: History | undefined): Mark[] {
  const from = h ? beginOf(h) : 0;
  const to = h ? from + h.count * h.step_s : 0;
  const days = Math.max(1, Math.ceil((Date.now() / 1000 - from) / 86_400));
  const events = useEvents(500, `name = ${device}`, from ? `event.age <= ${days}d` : "");
  const changes = useDeviceChanges(device);
  return useMemo(() => {
    const out: Mark[] = (events.data?.items ?? []).map((e: HappenedEvent) => ({
      at: Date.parse(e.at) / 1000,
      text: e.text ?? "",
    }));
    for (const c of changes.data?.items ?? [])
      out.push({
        at: Date.parse(c.updated_at) / 1000,
        text: `Change ${c.number} ${changeWord(c.state)}.`,
        strong: true,
      });
    return out.filter((m) => m.at >= from && m.at <= to);
  }, [events.data, changes.data, from, to]);
}
