import type { Setting } from "../../api/client";

export type Column = NonNullable<Setting["columns"]>[number];

/** The words of a row: parted at spaces, but not within quotes. */
function words(text: string): string[] {
  const found = text.match(/"(?:[^"\\]|\\.)*"|\S+/g) ?? [];
  return found.map((w) => (w.startsWith('"') ? unquote(w) : w));
}

function unquote(w: string): string {
  try {
    return String(JSON.parse(w));
  } catch {
    return w;
  }
}

/** The cells of a row, by column; undefined where it is not of the form. */
export function cellsOf(columns: Column[], text: string): Record<string, string> | undefined {
  const rest = words(text);
  const out: Record<string, string> = {};
  for (const c of columns) {
    if (rest.length > 0 && (!c.lead || rest[0] === c.lead)) {
      if (c.lead) rest.shift();
      out[c.name] = rest.shift() ?? "";
    } else if (c.default !== undefined) out[c.name] = c.default;
    else return undefined;
  }
  return rest.length === 0 ? out : undefined;
}

/** A row as text: what is as usual is left out. The service checks it. */
export function textOf(columns: Column[], cells: Record<string, string>): string {
  return columns
    .filter((c) => c.default === undefined || (cells[c.name] ?? c.default) !== c.default)
    .flatMap((c) => {
      const v = (cells[c.name] ?? "").trim();
      return [...(c.lead ? [c.lead] : []), v === "" || /[\s"]/.test(v) ? JSON.stringify(v) : v];
    })
    .join(" ");
}

/** What a new row begins with. */
export const blank = (columns: Column[]): Record<string, string> =>
  Object.fromEntries(
    columns.map((c) => [
      c.name,
      c.default ?? (c.choices?.includes("any") ? "any" : c.only ? (c.choices?.[0] ?? "") : ""),
    ]),
  );

/** A free number after one row and before the next, a multiple of ten where there is one; undefined where there is none. */
export function numberBetween(low: number, high: number | undefined, highest: number): number | undefined {
  const end = high ?? highest + 1;
  if (end - low < 2) return undefined;
  const ten = low - (low % 10) + 10;
  if (ten < end && (high === undefined || end - ten > 10)) return ten;
  const middle = low + Math.floor((end - low) / 2);
  const round = middle - (middle % 10);
  return round > low ? round : middle;
}
