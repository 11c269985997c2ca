import { useVirtualizer } from "@tanstack/react-virtual";
import { clsx } from "clsx";
import { ArrowDown, ArrowUp } from "lucide-react";
import { type ReactNode, useMemo, useRef } from "react";
import { ScrollRegion } from "./controls";

export type Column<T> = {
  key: string;
  head: string;
  cell: (row: T) => ReactNode;
  sort?: (row: T) => string | number;
  width?: string;
  right?: boolean;
  mono?: boolean;
};

export const collator = new Intl.Collator("en", { numeric: true, sensitivity: "base" });

const rowHeight = 30;

/**
 * A table that draws only the rows in sight. The sort stands in the caller's hands (in the URL), as "key" or "-key".
 */
export function Table<T>({
  label,
  columns,
  rows,
  rowKey,
  sort,
  onSort,
  selected,
  onRow,
  empty,
  className,
}: {
  label: string;
  columns: Column<T>[];
  rows: T[];
  rowKey: (row: T) => string;
  sort: string;
  onSort: (sort: string) => void;
  selected?: Set<string>;
  onRow?: (row: T, e: React.MouseEvent | React.KeyboardEvent) => void;
  empty: ReactNode;
  className?: string;
}) {
  const box = useRef<HTMLDivElement>(null);
  const sorted = useMemo(() => {
    const key = sort.replace(/^-/, "");
    const value = columns.find((c) => c.key === key)?.sort;
    if (!value) return rows;
    const direction = sort.startsWith("-") ? -1 : 1;
    return [...rows].sort((a, b) => {
      const x = value(a);
      const y = value(b);
      return (
        direction * (typeof x === "number" && typeof y === "number" ? x - y : collator.compare(String(x), String(y)))
      );
    });
  }, [rows, sort, columns]);
  const v = useVirtualizer({
    count: sorted.length,
    getScrollElement: () => box.current,
    estimateSize: () => rowHeight,
    overscan: 20,
    initialRect: { width: 1000, height: 800 },
  });
  const items = v.getVirtualItems();
  const before = items[0]?.start ?? 0;
  const after = v.getTotalSize() - (items.at(-1)?.end ?? 0);
  if (rows.length === 0) return <>{empty}</>;
  return (
    <ScrollRegion ref={box} label={label} className={clsx("relative overflow-auto", className)}>
      <table className="w-full border-collapse text-left" aria-rowcount={sorted.length + 1}>
        <thead className="sticky top-0 bg-panel shadow-[inset_0_-1px_0_var(--rule)]">
          <tr>
            {columns.map((c) => {
              const is = sort.replace(/^-/, "") === c.key;
              const Arrow = sort.startsWith("-") ? ArrowDown : ArrowUp;
              return (
                <th
                  key={c.key}
                  scope="col"
                  style={{ width: c.width }}
                  aria-sort={is ? (sort.startsWith("-") ? "descending" : "ascending") : undefined}
                  className={clsx(
                    "h-[30px] whitespace-nowrap px-3 text-sm font-medium text-soft",
                    c.right && "text-right",
                  )}
                >
                  {c.sort ? (
                    <button
                      type="button"
                      className="inline-flex items-center gap-1 hover:text-ink"
                      onClick={() => onSort(is && !sort.startsWith("-") ? `-${c.key}` : c.key)}
                    >
                      {c.head}
                      {is && <Arrow size={12} aria-hidden />}
                    </button>
                  ) : (
                    c.head
                  )}
                </th>
              );
            })}
          </tr>
        </thead>
        <tbody>
          {before > 0 && <tr style={{ height: before }} />}
          {items.map((item) => {
            const row = sorted[item.index] as T;
            const key = rowKey(row);
            const on = selected?.has(key);
            return (
              <tr
                key={key}
                aria-rowindex={item.index + 2}
                aria-selected={selected ? Boolean(on) : undefined}
                className={clsx(
                  "h-[30px] border-b border-rule/60",
                  on ? "bg-buff" : "hover:bg-ground/70",
                  onRow && "cursor-pointer",
                )}
                tabIndex={onRow ? 0 : undefined}
                onClick={onRow && ((e) => onRow(row, e))}
                onKeyDown={
                  onRow &&
                  ((e) => {
                    if (e.target !== e.currentTarget) return;
                    if (e.key === "Enter" || e.key === " ") {
                      e.preventDefault();
                      onRow(row, e);
                    } else toRow(e);
                  })
                }
              >
                {columns.map((c) => (
                  <td
                    key={c.key}
                    className={clsx("truncate px-3", c.right && "text-right", c.mono && "font-mono text-sm")}
                    style={{ maxWidth: c.width }}
                  >
                    {c.cell(row)}
                  </td>
                ))}
              </tr>
            );
          })}
          {after > 0 && <tr style={{ height: after }} />}
        </tbody>
      </table>
    </ScrollRegion>
  );
}

/** Moves from row to row by the arrow keys. */
export function toRow(e: React.KeyboardEvent) {
  const step = { ArrowDown: "nextElementSibling", ArrowUp: "previousElementSibling" }[e.key] as
    | "nextElementSibling"
    | "previousElementSibling"
    | undefined;
  if (!step) return;
  e.preventDefault();
  let row = e.currentTarget[step];
  while (row && !(row instanceof HTMLElement && row.tabIndex === 0)) row = row[step];
  if (row instanceof HTMLElement) row.focus();
}
