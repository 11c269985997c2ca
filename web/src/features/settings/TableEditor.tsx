import { clsx } from "clsx";
import { ArrowDown, ArrowUp, ListPlus, Pencil, RotateCcw, Trash2 } from "lucide-react";
import { type KeyboardEvent, type ReactNode, useState } from "react";
import type { Setting, Standing } from "../../api/client";
import { Button, inputClass, ScrollRegion } from "../../ui/controls";
import { holdsBy, layerWord } from "./layer";
import { blank, type Column, cellsOf, numberBetween, textOf } from "./rows";

type Touched = Record<string, string | null>;

/** A row as it is (now) and as it is to be (next: null where nothing is to be said of it, empty where it goes). */
interface Row {
  n: number;
  now?: string;
  next?: string | null;
  layer?: string;
}

const textNow = (r: Row) => (r.next === undefined ? (r.now ?? "") : (r.next ?? ""));
const goes = (r: Row) => textNow(r) === "";

/** A table of which the order counts: rows are added, changed, moved and taken out, each as an edit of its own. */
export function TableEditor({
  s,
  standing,
  layer,
  touched,
  set,
}: {
  s: Setting;
  standing: Standing[];
  layer: boolean;
  touched: Touched;
  set: (more: Record<string, string | null | undefined>) => void;
}) {
  const [editing, setEditing] = useState<number>();
  const columns = s.columns ?? [];
  const rows = rowsOf(s.name, standing, touched);
  const live = rows.filter((r) => !goes(r));
  const name = (n: number) => `${s.name}/${n}`;
  /** What has a row be of some text: nothing to do where it is. */
  const as = (r: Row, text: string): Record<string, string | null | undefined> => ({
    [name(r.n)]: text === (r.now ?? "") ? undefined : text === "" && layer ? null : text,
  });
  const add = (low: number, high?: number) => {
    const n = numberBetween(low, high, s.highest ?? 65535);
    if (n === undefined) return;
    const gone = rows.find((r) => r.n === n);
    set(as(gone ?? { n }, textOf(columns, blank(columns))));
    setEditing(n);
  };
  const swap = (a?: Row, b?: Row) => a && b && set({ ...as(a, textNow(b)), ...as(b, textNow(a)) });
  const renumber = () => {
    const texts = new Map(live.map((r, i) => [(i + 1) * 10, textNow(r)]));
    const all = new Set([...rows.map((r) => r.n), ...texts.keys()]);
    set(Object.assign({}, ...[...all].map((n) => as(rows.find((r) => r.n === n) ?? { n }, texts.get(n) ?? ""))));
    setEditing(undefined);
  };
  const inOrder = live.every((r, i) => r.n === (i + 1) * 10);
  return (
    <section aria-label={s.title} className="col-span-full min-w-0">
      <header className="mb-1 flex flex-wrap items-baseline gap-x-3">
        <h4 className="font-medium">{s.title}</h4>
        <span className="text-sm text-soft">{s.help}</span>
      </header>
      <ScrollRegion label={s.title} className="max-h-[420px] overflow-auto rounded border border-rule">
        <table className="w-full border-collapse text-left text-sm">
          <thead className="sticky top-0 z-10 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
            <tr>
              <th scope="col" className="h-7 w-12 px-2 font-medium">
                #
              </th>
              {columns.map((c) => (
                <th key={c.name} scope="col" title={c.help || c.form} className="whitespace-nowrap px-2 font-medium">
                  {c.title}
                </th>
              ))}
              <th scope="col" className="px-2 font-medium">
                Origin
              </th>
              <th scope="col" className="w-32 px-2">
                <span className="sr-only">What can be done</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {rows.map((r, i) => {
              const at = live.indexOf(r);
              const next = rows[i + 1]?.n; // also one that goes: its number is not another's yet
              const room = numberBetween(r.n, next, s.highest ?? 65535) !== undefined;
              return editing === r.n && !goes(r) ? (
                <EditedRow
                  key={r.n}
                  n={r.n}
                  columns={columns}
                  text={textNow(r)}
                  change={(text) => set(as(r, text))}
                  done={(keep) => {
                    if (!keep) set({ [name(r.n)]: undefined });
                    setEditing(undefined);
                  }}
                />
              ) : (
                <ShownRow key={r.n} r={r} columns={columns}>
                  {goes(r) ? (
                    <Act word={`Keep row ${r.n}`} onClick={() => set({ [name(r.n)]: undefined })}>
                      <RotateCcw size={13} aria-hidden />
                    </Act>
                  ) : (
                    <>
                      <Act word={`Move row ${r.n} up`} disabled={at === 0} onClick={() => swap(live[at - 1], r)}>
                        <ArrowUp size={13} aria-hidden />
                      </Act>
                      <Act
                        word={`Move row ${r.n} down`}
                        disabled={at === live.length - 1}
                        onClick={() => swap(r, live[at + 1])}
                      >
                        <ArrowDown size={13} aria-hidden />
                      </Act>
                      <Act
                        word={room ? `Add a row after ${r.n}` : `No number is free after ${r.n}: renumber first`}
                        disabled={!room}
                        onClick={() => add(r.n, next)}
                      >
                        <ListPlus size={13} aria-hidden />
                      </Act>
                      <Act word={`Change row ${r.n}`} onClick={() => setEditing(r.n)}>
                        <Pencil size={13} aria-hidden />
                      </Act>
                      <Act word={`Take row ${r.n} out`} onClick={() => set(as(r, ""))}>
                        <Trash2 size={13} aria-hidden />
                      </Act>
                    </>
                  )}
                </ShownRow>
              );
            })}
            {rows.length === 0 && (
              <tr>
                <td colSpan={columns.length + 3} className="px-2 py-2 text-soft">
                  {layer ? "Nothing is said here yet." : "There is no row yet."}
                </td>
              </tr>
            )}
          </tbody>
        </table>
      </ScrollRegion>
      <div className="mt-1.5 flex gap-2">
        <Button onClick={() => add(0, rows[0]?.n)}>Add first</Button>
        <Button onClick={() => add(rows.at(-1)?.n ?? 0)}>Add last</Button>
        <Button kind="quiet" disabled={inOrder} onClick={renumber} title="Numbers the rows 10, 20, 30">
          Renumber
        </Button>
      </div>
    </section>
  );
}

function rowsOf(table: string, standing: Standing[], touched: Touched): Row[] {
  const prefix = `${table}/`;
  const rows = new Map<number, Row>();
  for (const st of standing)
    if (st.setting.startsWith(prefix) && st.values[0]?.value) {
      const n = Number(st.setting.slice(prefix.length));
      rows.set(n, { n, now: st.values[0].value, layer: holdsBy(st) });
    }
  for (const [field, next] of Object.entries(touched))
    if (field.startsWith(prefix)) {
      const n = Number(field.slice(prefix.length));
      rows.set(n, { ...(rows.get(n) ?? { n }), next });
    }
  return [...rows.values()].sort((a, b) => a.n - b.n);
}

function Act({
  word,
  children,
  ...rest
}: {
  word: string;
  disabled?: boolean;
  onClick: () => void;
  children: ReactNode;
}) {
  return (
    <button
      type="button"
      title={word}
      aria-label={word}
      className="rounded-sm p-1 text-soft hover:bg-buff hover:text-buff-ink disabled:opacity-30"
      {...rest}
    >
      {children}
    </button>
  );
}

function ShownRow({ r, columns, children }: { r: Row; columns: Column[]; children: ReactNode }) {
  const gone = goes(r);
  const text = gone ? (r.now ?? "") : textNow(r);
  const cells = cellsOf(columns, text);
  return (
    <tr
      className={clsx(
        "border-t border-rule/60 first:border-0",
        r.next !== undefined && !gone && "bg-plus",
        gone && "bg-minus text-soft line-through",
      )}
    >
      <td className="h-7 px-2 text-soft tabular-nums">{r.n}</td>
      {cells ? (
        columns.map((c) => (
          <td key={c.name} className={clsx("px-2 font-mono", cells[c.name] === c.default && "text-soft")}>
            {cells[c.name]}
          </td>
        ))
      ) : (
        <td colSpan={columns.length} className="px-2 font-mono">
          {text}
        </td>
      )}
      <td className="whitespace-nowrap px-2 text-soft">
        {r.next !== undefined ? (gone ? "goes" : r.now ? "changed" : "new") : layerWord(r.layer ?? "device")}
      </td>
      <td className="whitespace-nowrap px-1 text-right no-underline">{children}</td>
    </tr>
  );
}

/** A row that is being changed, cell by cell. Enter and Escape end it; Escape takes back what was typed. */
function EditedRow({
  n,
  columns,
  text,
  change,
  done,
}: {
  n: number;
  columns: Column[];
  text: string;
  change: (text: string) => void;
  done: (keep: boolean) => void;
}) {
  const [cells, setCells] = useState(() => cellsOf(columns, text));
  const keys = (e: KeyboardEvent) => {
    if (e.key !== "Enter" && e.key !== "Escape") return;
    e.preventDefault();
    e.stopPropagation();
    done(e.key === "Enter");
  };
  const put = (name: string, value: string) => {
    const next = { ...cells, [name]: value };
    setCells(next);
    change(textOf(columns, next));
  };
  const field = clsx(inputClass, "!h-6 w-full min-w-[64px] font-mono text-sm");
  return (
    <tr className="border-t border-rule/60 bg-plus first:border-0">
      <td className="h-8 px-2 text-soft tabular-nums">{n}</td>
      {cells ? (
        columns.map((c, i) => (
          <td key={c.name} className="px-1">
            {c.only ? (
              <select
                aria-label={`${c.title} of row ${n}`}
                // biome-ignore lint/a11y/noAutofocus: who asked to change the row goes on in it
                autoFocus={i === 0}
                className={clsx(field, "!min-w-[84px]")}
                value={cells[c.name]}
                onKeyDown={keys}
                onChange={(e) => put(c.name, e.target.value)}
              >
                {c.choices?.map((x) => (
                  <option key={x}>{x}</option>
                ))}
              </select>
            ) : (
              <input
                aria-label={`${c.title} of row ${n}${c.lead ? ` (${c.name})` : ""}`}
                title={c.help || c.form}
                className={field}
                value={cells[c.name]}
                onKeyDown={keys}
                onChange={(e) => put(c.name, e.target.value)}
              />
            )}
          </td>
        ))
      ) : (
        <td colSpan={columns.length} className="px-1">
          <input
            aria-label={`Row ${n}`}
            // biome-ignore lint/a11y/noAutofocus: who asked to change the row goes on in it
            autoFocus
            className={field}
            value={text}
            onKeyDown={keys}
            onChange={(e) => change(e.target.value)}
          />
        </td>
      )}
      <td />
      <td className="whitespace-nowrap px-1 text-right">
        <Button kind="quiet" className="!h-6" onClick={() => done(true)}>
          Done
        </Button>
      </td>
    </tr>
  );
}
