import { useEffect, useMemo, useRef, useState } from "react";
import uPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import { amount } from "./amount";
import { day, hours, moment } from "./time";

/** One line of a chart: a value for each step, null where nothing is known. */
export type Line = { name: string; mean: (number | null)[]; max?: (number | null)[] };
/** Something that happened at a moment. */
export type Mark = { at: number; text: string; strong?: boolean };

/** How many lines can be told apart: by colour and by dashes. */
export const maxLines = 6;
const dashes = [[], [7, 3], [2, 3], [9, 3, 2, 3], [5, 5], [1, 2]];

function useTheme(): string {
  const [theme, set] = useState(document.documentElement.dataset.theme ?? "");
  useEffect(() => {
    const watch = new MutationObserver(() => set(document.documentElement.dataset.theme ?? ""));
    watch.observe(document.documentElement, { attributes: true, attributeFilter: ["data-theme"] });
    return () => watch.disconnect();
  }, []);
  return theme;
}

/** Metrics over time. Charts of one group share their cursor; dragging picks a span. */
export function Chart({
  title,
  help,
  unit,
  from,
  step,
  lines,
  marks = [],
  group,
  height = 132,
  least,
  onSpan,
}: {
  title: string;
  help?: string;
  unit: string;
  /** Of the first step, in seconds since 1970. */
  from: number;
  /** In seconds. */
  step: number;
  lines: Line[];
  marks?: Mark[];
  group: string;
  height?: number;
  /** Where the axis begins; the least value when left out. */
  least?: number;
  onSpan?: (from: number, to: number) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const [at, setAt] = useState<number | null>(null);
  const theme = useTheme();
  const count = lines[0]?.mean.length ?? 0;
  const xs = useMemo(() => Array.from({ length: count }, (_, i) => from + i * step), [from, step, count]);
  const data = useMemo(() => [xs, ...lines.map((l) => l.mean), ...peaks(lines).map((l) => l.max ?? [])], [xs, lines]);
  const latest = useRef({ marks, onSpan, data, step });
  latest.current = { marks, onSpan, data, step };
  const drawn = useRef<uPlot>(null);
  const shape = JSON.stringify([lines.map((l) => !!l.max), unit, group, height, least, theme, count > 0]);

  // A new plot only for another shape: new values go into the one that is there, and leave a cursor and a drag alone.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the shape has all that the plot is made from
  useEffect(() => {
    const el = box.current;
    if (!el || count === 0) return;
    const css = getComputedStyle(document.documentElement);
    const colour = (name: string) => css.getPropertyValue(name).trim();
    const font = `11.5px ${css.getPropertyValue("--font-sans") || "sans-serif"}`;
    const plot = new uPlot(
      {
        width: el.clientWidth,
        height,
        legend: { show: false },
        padding: [6, 20, 0, 0],
        cursor: { sync: { key: group }, drag: { x: true, y: false, setScale: false }, points: { size: 5 }, y: false },
        scales: {
          x: {
            time: true,
            range: (u) => {
              const first = u.data[0][0] ?? 0;
              return [first, first + latest.current.step * Math.max(1, u.data[0].length - 1)];
            },
          },
          y: { range: (_u, lo, hi) => bounds(lo, hi, least) },
        },
        axes: [
          {
            stroke: colour("--soft"),
            font,
            size: 24,
            gap: 4,
            grid: { show: false },
            ticks: { stroke: colour("--rule"), size: 4 },
            values: (_u, splits, _i, _space, by) =>
              splits.map((s) => {
                const d = new Date(s * 1000);
                if (by < 60) return d.toLocaleTimeString("en-GB");
                return by >= 86_400 || (d.getHours() === 0 && d.getMinutes() === 0) ? day(d) : hours(d);
              }),
          },
          {
            stroke: colour("--soft"),
            font,
            size: 62,
            gap: 6,
            space: 26,
            grid: { stroke: colour("--rule"), width: 1 },
            ticks: { show: false },
            values: (_u, splits) =>
              splits.map((s) => amount(s, unit === "frames/s" ? "/s" : unit.endsWith("/s") ? unit : "")),
          },
        ],
        series: [
          {},
          ...lines.map((_, i) => ({
            stroke: colour(`--line-${(i % maxLines) + 1}`),
            width: 1.5,
            dash: dashes[i % maxLines],
            points: { show: (u: uPlot, si: number) => alone(u.data[si] as (number | null)[]), size: 4 },
          })),
          ...peaks(lines).map((l) => ({
            stroke: colour(`--line-${lines.indexOf(l) + 1}`),
            width: 0.5,
            alpha: 0.55,
            points: { show: false },
          })),
        ],
        hooks: {
          setCursor: [(u) => setAt(u.cursor.idx ?? null)],
          setSelect: [
            (u) => {
              const { left, width } = u.select;
              if (width > 4) latest.current.onSpan?.(u.posToVal(left, "x"), u.posToVal(left + width, "x"));
              u.setSelect({ left: 0, width: 0, top: 0, height: 0 }, false);
            },
          ],
          draw: [
            (u) => {
              const ctx = u.ctx;
              ctx.save();
              for (const m of latest.current.marks) {
                const x = u.valToPos(m.at, "x", true);
                if (x < u.bbox.left || x > u.bbox.left + u.bbox.width) continue;
                ctx.fillStyle = colour(m.strong ? "--accent" : "--soft");
                const bottom = u.bbox.top + u.bbox.height;
                const size = 4 * devicePixelRatio;
                ctx.beginPath();
                ctx.moveTo(x, bottom - size * 1.6);
                ctx.lineTo(x + size, bottom);
                ctx.lineTo(x - size, bottom);
                ctx.fill();
              }
              ctx.restore();
            },
          ],
        },
      },
      latest.current.data as uPlot.AlignedData,
      el,
    );
    drawn.current = plot;
    const watch = new ResizeObserver(() => plot.setSize({ width: el.clientWidth, height }));
    watch.observe(el);
    return () => {
      watch.disconnect();
      plot.destroy();
      drawn.current = null;
    };
  }, [shape]);

  useEffect(() => {
    const plot = drawn.current;
    if (plot && plot.data !== data) plot.setData(data as uPlot.AlignedData);
  }, [data]);

  const near =
    at === null
      ? undefined
      : marks.filter((m) => Math.abs(m.at - (xs[at] ?? 0)) <= Math.max(step, (count * step) / 120)).map((m) => m.text);
  return (
    <figure className="min-w-0 px-3 pb-2 pt-1.5" aria-label={title}>
      <figcaption className="flex min-h-6 flex-wrap items-baseline gap-x-4">
        <span className="font-medium" title={help}>
          {title}
        </span>
        {lines.map((l, i) => (
          <Figures key={l.name} line={l} index={i} unit={unit} at={at} among={lines.length} />
        ))}
        <span className="ml-auto max-w-[60%] truncate text-xs text-soft">
          {at !== null &&
            xs[at] !== undefined &&
            (near?.length ? `${near[near.length - 1]} ` : "") + moment(xs[at], step)}
        </span>
      </figcaption>
      <div ref={box} style={{ height }} className="w-full" />
    </figure>
  );
}

/** The lines whose highest values are drawn beside their means: of few lines only. */
const peaks = (lines: Line[]) => (lines.length <= 2 ? lines.filter((l) => l.max) : []);

/** Whether a line has values that stand alone between gaps, which no stroke would show. */
const alone = (values: (number | null)[]) => values.filter((v) => v !== null).length < 3;

/** Where the axis goes from and to: a little more than the values, and never nothing. */
function bounds(lo: number, hi: number, least?: number): [number, number] {
  const from = least ?? lo;
  if (!Number.isFinite(lo) || !Number.isFinite(hi)) return [0, 1];
  const room = Math.max((hi - from) * 0.1, Math.abs(hi) * 0.02, 1e-9);
  return [least === undefined ? from - room : from, hi + (hi === 0 ? 1 : room)];
}

function Figures({
  line,
  index,
  unit,
  at,
  among,
}: {
  line: Line;
  index: number;
  unit: string;
  at: number | null;
  among: number;
}) {
  const known = line.mean.filter((v): v is number => v !== null);
  const mean = known.length ? known.reduce((a, b) => a + b, 0) / known.length : null;
  const high = Math.max(...(line.max ?? line.mean).filter((v): v is number => v !== null));
  return (
    <span className="flex items-baseline gap-1.5 text-sm text-soft">
      <svg width="18" height="8" aria-hidden className="self-center">
        <line
          x1="0"
          x2="18"
          y1="4"
          y2="4"
          stroke={`var(--line-${(index % maxLines) + 1})`}
          strokeWidth="2"
          strokeDasharray={dashes[index % maxLines]?.join(" ")}
        />
      </svg>
      {among > 1 && <span className="text-ink">{line.name}</span>}
      {at !== null ? (
        <span className="font-medium text-ink">{amount(line.mean[at], unit)}</span>
      ) : known.length ? (
        <span>
          mean {amount(mean, unit)}
          {among < 3 && `, highest ${amount(high, unit)}`}
        </span>
      ) : (
        <span>nothing known</span>
      )}
    </span>
  );
}
