import { hours } from "./time";

const heights: Record<string, number> = { critical: 12, major: 10, minor: 7, warning: 5 };
const fills: Record<string, string> = {
  critical: "fill-down",
  major: "fill-down",
  minor: "fill-degraded",
  warning: "fill-degraded",
};

/** A day as a row of bars: the worse a quarter of an hour was, the higher its bar; a thin line where nothing was out of order. */
export function Strip({ of, from, step, steps }: { of: string; from: string; step: number; steps: string[] }) {
  const begin = Date.parse(from);
  const at = (i: number) => hours(new Date(begin + i * step * 1000));
  const bad = steps.filter(Boolean).length;
  const quarter = (n: number) => `${Math.round((n * step) / 60)} min`;
  const label =
    bad === 0 ? `${of}: nothing was out of order in 24 hours` : `${of}: out of order for ${quarter(bad)} of 24 hours`;
  return (
    <svg
      viewBox={`0 0 ${steps.length} 12`}
      preserveAspectRatio="none"
      role="img"
      aria-label={label}
      className="h-3 w-full"
    >
      <rect x="0" y="11" width={steps.length} height="1" className="fill-rule" />
      {runs(steps).map((r) => (
        <rect
          key={r.from}
          x={r.from}
          width={r.to - r.from}
          y={12 - (heights[r.word] ?? 3)}
          height={heights[r.word] ?? 3}
          className={fills[r.word] ?? "fill-soft"}
        >
          <title>{`${r.word}, ${at(r.from)} to ${at(r.to)}`}</title>
        </rect>
      ))}
    </svg>
  );
}

/** Steps that are alike and stand together, without those that are well. */
function runs(steps: string[]) {
  const out: { from: number; to: number; word: string }[] = [];
  steps.forEach((word, i) => {
    const last = out.at(-1);
    if (!word) return;
    if (last && last.to === i && last.word === word) last.to = i + 1;
    else out.push({ from: i, to: i + 1, word });
  });
  return out;
}
