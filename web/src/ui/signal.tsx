/** A level as a number and as bars: -50 dBm and more is full, -90 dBm is nothing. */
export function Signal({ dbm, bare }: { dbm: number; bare?: boolean }) {
  const bars = Math.max(0, Math.min(4, Math.ceil((dbm + 86) / 9)));
  return (
    <span className="inline-flex items-center gap-2 whitespace-nowrap">
      <span className="inline-flex items-end gap-[2px]" aria-hidden>
        {[1, 2, 3, 4].map((b) => (
          <span key={b} className={b <= bars ? "w-[3px] bg-ink" : "w-[3px] bg-rule"} style={{ height: 3 + b * 2.5 }} />
        ))}
      </span>
      {dbm}
      {bare ? "" : " dBm"}
    </span>
  );
}
