import { clsx } from "clsx";
import { X } from "lucide-react";
import { useView } from "../../app/view";
import { moment } from "../../ui/time";

export const periods = ["1h", "12h", "24h", "7d", "30d", "90d"];
const words: Record<string, string> = {
  "1h": "1 hour",
  "12h": "12 hours",
  "24h": "24 hours",
  "7d": "7 days",
  "30d": "30 days",
  "90d": "90 days",
};

/** The time that a page is about: a period up to now, or a span that was picked. It stands in the address. */
export function useRange() {
  const [period, setPeriod] = useView("period", "24h");
  const [span, setSpan] = useView("span");
  const [from, to] = span.split("-").map(Number);
  const picked = from && to && from < to ? { from, to } : undefined;
  return {
    period,
    setPeriod,
    picked,
    pick: (from: number, to: number) => setSpan(`${Math.floor(from)}-${Math.ceil(to)}`),
    unpick: () => setSpan(""),
    /** As the interface takes it. */
    query: picked
      ? { from: new Date(picked.from * 1000).toISOString(), to: new Date(picked.to * 1000).toISOString() }
      : { period },
  };
}
export type Range = ReturnType<typeof useRange>;

export function RangeBar({ range }: { range: Range }) {
  return (
    <fieldset className="flex flex-wrap items-center gap-1">
      <legend className="sr-only">Time</legend>
      {periods.map((p) => (
        <button
          key={p}
          type="button"
          aria-pressed={!range.picked && range.period === p}
          title={`The last ${words[p]}`}
          onClick={() => (range.picked && range.period === p ? range.unpick() : range.setPeriod(p))}
          disabled={Boolean(range.picked)}
          className={clsx(
            "h-6 rounded-sm border px-2 text-sm disabled:opacity-50",
            !range.picked && range.period === p
              ? "border-accent bg-accent-soft font-semibold text-ink"
              : "border-rule bg-raised text-ink hover:border-soft",
          )}
        >
          {p.replace("h", " h").replace("d", " d")}
        </button>
      ))}
      {range.picked && (
        <button
          type="button"
          onClick={range.unpick}
          className="flex h-6 items-center gap-1 rounded-sm border border-accent bg-accent-soft px-2 text-sm font-semibold text-ink"
          title="Back to the period up to now"
        >
          {moment(range.picked.from, 60)} to {moment(range.picked.to, 60)} <X size={13} />
        </button>
      )}
    </fieldset>
  );
}
