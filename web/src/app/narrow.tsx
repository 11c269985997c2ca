import { many } from "../ui/time";
import { useTyped, useView } from "./view";

/** Which lines of an output are shown: the same choices as of the command line. */
export type Narrow = { find: string; without: string; begin: string; around: number };

/** The lines that are shown, by their places, with those that match and where others are left out before. */
export function narrowed(lines: string[], n: Narrow) {
  const holds = (line: string, text: string) => line.toLowerCase().includes(text.toLowerCase());
  const first = n.begin ? lines.findIndex((l) => holds(l, n.begin)) : 0;
  const all = lines
    .map((line, at) => ({ at, line }))
    .filter((l) => first >= 0 && l.at >= first && !(n.without && holds(l.line, n.without)));
  const hits = new Set(n.find ? all.flatMap((l, i) => (holds(l.line, n.find) ? [i] : [])) : []);
  const shown = all
    .map((l, i) => ({ ...l, i, hit: hits.has(i) }))
    .filter(({ i }) => {
      if (!n.find) return true;
      for (let d = -n.around; d <= n.around; d++) if (hits.has(i + d)) return true;
      return false;
    });
  return {
    shown: shown.map((l, k) => ({
      at: l.at,
      line: l.line,
      hit: l.hit,
      gap: k > 0 && l.i > (shown[k - 1]?.i ?? 0) + 1,
    })),
    count: n.find ? hits.size : all.length,
  };
}

/** The choices, which stand in the address, and the bar in which they are made. */
export function useNarrow(around = 0) {
  const [find, setFind] = useTyped("find");
  const [without, setWithout] = useTyped("without");
  const [begin, setBegin] = useTyped("begin");
  const [near, setNear] = useView("around", String(around));
  const n: Narrow = { find, without, begin, around: Math.min(Math.max(Number(near) || 0, 0), 50) };
  const field = (label: string, help: string, value: string, set: (v: string) => void, wide: string) => (
    <label className="flex items-center gap-1.5" title={help}>
      {label}
      <input
        className={`h-6 rounded-sm border border-rule bg-raised px-2 font-mono text-ink ${wide}`}
        value={value}
        onChange={(e) => set(e.target.value)}
      />
    </label>
  );
  const bar = (count: number) => (
    <fieldset className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-rule px-3 py-1.5 text-sm text-soft">
      <legend className="sr-only">Which lines</legend>
      {field("Find", "only lines in which this text stands, with those around them", find, setFind, "w-36")}
      {field("Around", "so many lines before and after besides", near, setNear, "w-10")}
      {field("Leave out", "lines in which this text stands", without, setWithout, "w-28")}
      {field("Begin at", "the first line in which this text stands", begin, setBegin, "w-28")}
      <span className="grow text-right tabular-nums" role="status">
        {many(count, "line")}
      </span>
    </fieldset>
  );
  return { n, bar };
}
