import { useVirtualizer } from "@tanstack/react-virtual";
import { clsx } from "clsx";
import { ArrowDown, ArrowUp, ChevronDown, ChevronRight, Rows3, SlidersHorizontal } from "lucide-react";
import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import {
  type Asked,
  both,
  type Noun,
  pagesOf,
  quote,
  type Rows,
  read,
  useList,
  usePages,
  usePreference,
} from "../api/lists";
import { Button, Failure, Panel, ScrollRegion } from "../ui/controls";
import { collator, toRow } from "../ui/table";
import { ColumnChooser, Export } from "./GridTools";
import { useView } from "./view";

/** A column of a list that the service sorts and groups by a field. */
export type GridColumn<T> = {
  key: string;
  head: string;
  /** The field by which the service sorts; none: it cannot be sorted. */
  field?: string;
  /** Whether rows can be grouped by the field: it must have few values. */
  groups?: boolean;
  /** What a group without a value is called. */
  none?: string;
  /** Whether it is hidden until it is chosen. */
  extra?: boolean;
  width: number;
  right?: boolean;
  mono?: boolean;
  /** What stands in an exported file, and in the cell unless that is drawn otherwise. */
  text: (row: T) => string;
  cell?: (row: T) => ReactNode;
};

const rowHeights = { usual: 30, tight: 23 };
const headHeight = 34;
const narrowest = 44;

type Segment = { value: string; count: number; where: string };
type Item = { kind: "head"; segment: number } | { kind: "row"; segment: number; index: number };

type Kept = { columns?: string[]; tight?: boolean; widths?: Record<string, number> };

/**
 * A list of the network: sorted, narrowed, grouped and counted by the service, so that ten thousand rows cost no more than
 * those in sight. Sort and grouping stand in the address; which columns are shown is kept for the person.
 */
export function Grid<N extends Noun>({
  noun,
  title,
  where,
  columns,
  rowKey,
  defaultSort,
  totals,
  selected,
  onPick,
  empty,
  className,
  actions,
}: {
  noun: N;
  title: (total: number, all: number) => string;
  where: string;
  columns: GridColumn<Rows[N]>[];
  rowKey: (row: Rows[N]) => string;
  defaultSort: string;
  /** Fields by whose values all that match are counted. */
  totals?: string[];
  selected?: Set<string>;
  onPick?: (key: string, e: React.MouseEvent | React.KeyboardEvent, range: () => Promise<string[]>) => void;
  empty: ReactNode;
  className?: string;
  actions?: ReactNode;
}) {
  const [sort, setSort] = useView("sort", defaultSort);
  const [group, setGroup] = useView("group");
  const [closedText, setClosed] = useView("closed");
  const [kept, setKept] = usePreference<Kept>(`table.${noun}`, {});
  const [choosing, setChoosing] = useState(false);
  const [drawn, setDrawn] = useState<{ key: string; width: number } | null>(null); // while a column is being resized
  const rowHeight = kept.tight ? rowHeights.tight : rowHeights.usual;
  const shown = useMemo(() => {
    const names = kept.columns ?? columns.filter((c) => !c.extra).map((c) => c.key);
    return names
      .flatMap((k) => columns.find((c) => c.key === k) ?? [])
      .map((c) => ({ ...c, width: drawn?.key === c.key ? drawn.width : (kept.widths?.[c.key] ?? c.width) }));
  }, [kept.columns, kept.widths, drawn, columns]);
  const keepWidth = (key: string, width: number) => {
    setDrawn(null);
    setKept({ ...kept, widths: { ...kept.widths, [key]: Math.max(narrowest, Math.round(width)) } });
  };
  const field = (key: string) => columns.find((c) => c.key === key)?.field;
  const sortField = field(sort.replace(/^-/, "")) ?? "";
  const order = sortField && (sort.startsWith("-") ? `-${sortField}` : sortField);
  const grouping = group ? field(group) : undefined;
  const head = useList(noun, {
    where,
    limit: 0,
    count: [...new Set([...(totals ?? []), ...(grouping ? [grouping] : [])])].join(","),
  });
  const total = head.data?.total ?? 0;
  const segments = useMemo<Segment[]>(() => {
    if (!grouping) return [{ value: "", count: total, where }];
    return [...(head.data?.counts?.[grouping] ?? [])]
      .sort((a, b) => collator.compare(a.value, b.value))
      .map((c) => ({ ...c, where: both(where, `${grouping} = ${quote(c.value)}`) }));
  }, [grouping, head.data, total, where]);
  const closed = useMemo(() => new Set(closedText ? closedText.split("\n") : []), [closedText]);
  const items = useMemo<Item[]>(() => {
    const out: Item[] = [];
    segments.forEach((s, segment) => {
      if (grouping) out.push({ kind: "head", segment });
      if (!closed.has(s.value) || !grouping)
        for (let index = 0; index < s.count; index++) out.push({ kind: "row", segment, index });
    });
    return out;
  }, [segments, closed, grouping]);
  const box = useRef<HTMLDivElement>(null);
  const v = useVirtualizer({
    count: items.length,
    getScrollElement: () => box.current,
    estimateSize: (i) => (items[i]?.kind === "head" ? headHeight : rowHeight),
    overscan: 12,
    initialRect: { width: 1000, height: 800 },
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: the heights changed
  useEffect(() => v.measure(), [rowHeight]);
  const visible = v.getVirtualItems();
  const before = visible[0]?.start ?? 0;
  const after = v.getTotalSize() - (visible.at(-1)?.end ?? 0);
  const inSight = new Map<number, [number, number]>();
  for (const i of visible) {
    const item = items[i.index];
    if (item?.kind !== "row") continue;
    const s = inSight.get(item.segment);
    inSight.set(item.segment, s ? [Math.min(s[0], item.index), Math.max(s[1], item.index)] : [item.index, item.index]);
  }
  const groups = columns.filter((c) => c.groups && c.field);
  const last = useRef<Item | null>(null);
  const range = (to: Item) => async () => {
    const from = last.current;
    if (from?.kind !== "row" || to.kind !== "row" || from.segment !== to.segment) return [];
    const [a, b] = [Math.min(from.index, to.index), Math.max(from.index, to.index)];
    const s = segments[to.segment];
    if (!s) return [];
    const out: string[] = [];
    while (out.length < b - a + 1) {
      const limit = Math.min(b - a + 1 - out.length, 5000);
      const part = await read(noun, { where: s.where, sort: order, offset: a + out.length, limit });
      if (part.items.length === 0) break;
      out.push(...part.items.map(rowKey));
    }
    return out;
  };
  return (
    <Panel
      title={head.data ? title(total, head.data.all ?? total) : "Reading…"}
      aside={
        <span className="flex items-center gap-2">
          {totals?.map((t) => (
            <span key={t} className="max-lg:hidden">
              {head.data?.counts?.[t]
                ?.map(
                  (c) =>
                    `${(c.value || (columns.find((x) => x.field === t)?.none ?? "not known")).replace("-", " ")} ${c.count}`,
                )
                .join(" · ")}
            </span>
          ))}
        </span>
      }
    >
      <div className="flex h-9 items-center gap-2 border-b border-rule px-3 text-sm">
        {groups.length > 0 && (
          <label className="flex items-center gap-1.5 text-soft">
            Grouped by
            <select
              value={group}
              onChange={(e) => {
                setGroup(e.target.value);
                setClosed("");
              }}
              className="h-6 rounded-sm border border-rule bg-raised px-1 text-ink"
            >
              <option value="">nothing</option>
              {groups.map((c) => (
                <option key={c.key} value={c.key}>
                  {c.head.toLowerCase()}
                </option>
              ))}
            </select>
          </label>
        )}
        {grouping && (
          <Button
            kind="quiet"
            className="h-6"
            onClick={() => setClosed(closed.size > 0 ? "" : segments.map((s) => s.value).join("\n"))}
          >
            {closed.size > 0 ? "Open all" : "Close all"}
          </Button>
        )}
        <span className="grow" />
        {actions}
        <Button
          kind="quiet"
          className="h-6"
          aria-pressed={Boolean(kept.tight)}
          onClick={() => setKept({ ...kept, tight: !kept.tight })}
        >
          <Rows3 size={14} aria-hidden /> {kept.tight ? "Roomy" : "Dense"}
        </Button>
        <Button kind="quiet" className="h-6" onClick={() => setChoosing(true)}>
          <SlidersHorizontal size={14} aria-hidden /> Columns
        </Button>
        <Export noun={noun} asked={{ where, sort: order }} columns={shown} total={total} />
      </div>
      {head.isError ? (
        <Failure error={head.error} retry={() => void head.refetch()} />
      ) : head.data && total === 0 ? (
        empty
      ) : (
        <ScrollRegion ref={box} label={noun} className={clsx("relative overflow-auto", className)}>
          <table
            className="w-full table-fixed border-collapse text-left"
            style={{ minWidth: shown.reduce((n, c) => n + c.width, 0) }}
            aria-rowcount={items.length + 1}
          >
            <thead className="sticky top-0 z-10 bg-panel shadow-[inset_0_-1px_0_var(--rule)]">
              <tr>
                {shown.map((c) => {
                  const is = sort.replace(/^-/, "") === c.key;
                  const Arrow = sort.startsWith("-") ? ArrowDown : ArrowUp;
                  return (
                    <th
                      key={c.key}
                      scope="col"
                      style={{ width: c.width }}
                      aria-sort={is ? (sort.startsWith("-") ? "descending" : "ascending") : undefined}
                      className={clsx(
                        "relative h-[30px] truncate px-3 text-sm font-medium text-soft",
                        c.right && "text-right",
                      )}
                    >
                      {c.field ? (
                        <button
                          type="button"
                          className="inline-flex items-center gap-1 hover:text-ink"
                          onClick={() => setSort(is && !sort.startsWith("-") ? `-${c.key}` : c.key)}
                        >
                          {c.head}
                          {is && <Arrow size={12} aria-hidden />}
                        </button>
                      ) : (
                        c.head
                      )}
                      <Edge
                        name={c.head}
                        width={c.width}
                        onDraw={(width) => setDrawn({ key: c.key, width })}
                        onKeep={(width) => keepWidth(c.key, width)}
                      />
                    </th>
                  );
                })}
              </tr>
            </thead>
            <tbody>
              {before > 0 && <tr style={{ height: before }} />}
              {[...new Set(visible.map((i) => items[i.index]?.segment))].map((segment) =>
                segment === undefined ? null : (
                  <SegmentRows
                    key={segments[segment]?.value ?? segment}
                    noun={noun}
                    asked={{ where: segments[segment]?.where ?? where, sort: order }}
                    sight={inSight.get(segment)}
                    items={visible.flatMap((i) => {
                      const item = items[i.index];
                      return item && item.segment === segment ? [{ at: i.index, item }] : [];
                    })}
                    columns={shown}
                    height={rowHeight}
                    rowKey={rowKey}
                    selected={selected}
                    onRow={
                      onPick &&
                      ((key, item, e) => {
                        onPick(key, e, range(item));
                        if (!e.shiftKey) last.current = item;
                      })
                    }
                    head={
                      grouping
                        ? {
                            name:
                              segments[segment]?.value || (columns.find((c) => c.key === group)?.none ?? "not known"),
                            count: segments[segment]?.count ?? 0,
                            closed: closed.has(segments[segment]?.value ?? ""),
                            toggle: () => {
                              const next = new Set(closed);
                              const value = segments[segment]?.value ?? "";
                              if (!next.delete(value)) next.add(value);
                              setClosed([...next].join("\n"));
                            },
                          }
                        : undefined
                    }
                  />
                ),
              )}
              {after > 0 && <tr style={{ height: after }} />}
            </tbody>
          </table>
        </ScrollRegion>
      )}
      <ColumnChooser
        open={choosing}
        onOpenChange={setChoosing}
        columns={columns}
        shown={shown.map((c) => c.key)}
        set={(names) => setKept(names ? { ...kept, columns: names } : null)}
      />
    </Panel>
  );
}

/** The right edge of a column, by which it is made wider or narrower: with the pointer, or with the arrow keys. */
function Edge({
  name,
  width,
  onDraw,
  onKeep,
}: {
  name: string;
  width: number;
  onDraw: (width: number) => void;
  onKeep: (width: number) => void;
}) {
  const from = useRef<{ x: number; width: number } | null>(null);
  const at = (e: React.PointerEvent) => {
    const f = from.current;
    return f ? Math.max(narrowest, f.width + e.clientX - f.x) : width;
  };
  return (
    // biome-ignore lint/a11y/useSemanticElements: a separator that moves is no rule between texts
    <span
      role="separator"
      aria-orientation="vertical"
      aria-label={`Width of ${name}`}
      aria-valuenow={width}
      aria-valuemin={narrowest}
      tabIndex={0}
      className="absolute inset-y-1 right-0 w-1.5 cursor-col-resize touch-none border-r border-rule hover:border-accent"
      onPointerDown={(e) => {
        e.preventDefault();
        e.currentTarget.setPointerCapture(e.pointerId);
        from.current = { x: e.clientX, width };
      }}
      onPointerMove={(e) => from.current && onDraw(at(e))}
      onPointerUp={(e) => {
        if (from.current) onKeep(at(e));
        from.current = null;
      }}
      onKeyDown={(e) => {
        const by = { ArrowLeft: -8, ArrowRight: 8 }[e.key];
        if (by) onKeep(width + by);
      }}
    />
  );
}

function SegmentRows<N extends Noun>({
  noun,
  asked,
  sight,
  items,
  columns,
  height,
  rowKey,
  selected,
  onRow,
  head,
}: {
  noun: N;
  asked: Asked;
  sight?: [number, number];
  items: { at: number; item: Item }[];
  columns: GridColumn<Rows[N]>[];
  height: number;
  rowKey: (row: Rows[N]) => string;
  selected?: Set<string>;
  onRow?: (key: string, item: Item, e: React.MouseEvent | React.KeyboardEvent) => void;
  head?: { name: string; count: number; closed: boolean; toggle: () => void };
}) {
  const pages = usePages(noun, asked, sight ? pagesOf(sight[0], sight[1]) : []);
  return items.map(({ at, item }) => {
    if (item.kind === "head") {
      const Chevron = head?.closed ? ChevronRight : ChevronDown;
      return (
        <tr
          key="head"
          className="border-b border-rule bg-ground/60"
          style={{ height: headHeight }}
          aria-rowindex={at + 2}
        >
          <th colSpan={columns.length} scope="rowgroup" className="px-2 text-left font-semibold">
            <button
              type="button"
              onClick={head?.toggle}
              aria-expanded={!head?.closed}
              className="inline-flex items-center gap-1.5"
            >
              <Chevron size={15} aria-hidden /> {head?.name}{" "}
              <span className="font-normal text-soft">{head?.count}</span>
            </button>
          </th>
        </tr>
      );
    }
    const row = pages.row(item.index);
    const key = row ? rowKey(row) : "";
    const on = row && selected?.has(key);
    return (
      <tr
        key={item.index}
        aria-rowindex={at + 2}
        aria-selected={selected ? Boolean(on) : undefined}
        className={clsx(
          "border-b border-rule/60",
          on ? "bg-buff" : "hover:bg-ground/70",
          onRow && "cursor-pointer select-none",
        )}
        style={{ height }}
        tabIndex={row && onRow ? 0 : undefined}
        onClick={row && onRow && ((e) => onRow(key, item, e))}
        onKeyDown={
          row &&
          onRow &&
          ((e) => {
            if (e.target !== e.currentTarget) return;
            if (e.key === "Enter" || e.key === " ") {
              e.preventDefault();
              onRow(key, item, e);
            } else toRow(e);
          })
        }
      >
        {columns.map((c) => (
          <td key={c.key} className={clsx("truncate px-3", c.right && "text-right", c.mono && "font-mono text-sm")}>
            {row ? (
              c.cell ? (
                c.cell(row)
              ) : (
                <span title={c.text(row)}>{c.text(row)}</span>
              )
            ) : (
              <span className="text-rule">…</span>
            )}
          </td>
        ))}
      </tr>
    );
  });
}
