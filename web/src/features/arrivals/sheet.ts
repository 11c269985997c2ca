import type { Claim } from "../../api/client";

const columns = [
  "serial",
  "name",
  "site",
  "like",
  "replaces",
  "tags",
  "building",
  "floor",
  "rack",
  "contact",
  "notes",
] as const;

type Column = (typeof columns)[number];

/** Splits a line at commas, or at tabs as sheets copy them; what stands in quotes stays together. */
function cells(line: string): string[] {
  const separator = line.includes("\t") ? "\t" : ",";
  const out: string[] = [];
  let cell = "";
  let quoted = false;
  for (let i = 0; i < line.length; i++) {
    const c = line[i];
    if (quoted && c === '"' && line[i + 1] === '"') {
      cell += '"';
      i++;
    } else if (c === '"') quoted = !quoted;
    else if (c === separator && !quoted) {
      out.push(cell.trim());
      cell = "";
    } else cell += c;
  }
  return [...out, cell.trim()];
}

/** Reads a sheet of claims. keep gives back the lines of some serial numbers, with the head line. */
export function readClaims(text: string): { claims: Claim[]; fault: string; keep: (serials: Set<string>) => string } {
  const lines = text.split(/\r?\n/).filter((l) => l.trim());
  const [head, ...rest] = lines;
  const none = { claims: [], keep: () => text };
  if (!head) return { ...none, fault: "" };
  const names = cells(head).map((h) => h.toLowerCase());
  const unknown = names.find((n) => !columns.includes(n as Column));
  if (unknown !== undefined)
    return {
      ...none,
      fault: `There is no column "${unknown}". The first line names the columns: ${columns.join(", ")}.`,
    };
  if (!names.includes("serial")) return { ...none, fault: "A column with the serial numbers is missing." };
  const claims = rest.map((line) => {
    const row = cells(line);
    const value = (c: Column) => row[names.indexOf(c)] || undefined;
    return {
      serial: value("serial") ?? "",
      name: value("name"),
      site: value("site"),
      like: value("like"),
      replaces: value("replaces"),
      tags: value("tags")?.split(/\s+/),
      building: value("building"),
      floor: value("floor"),
      rack: value("rack"),
      contact: value("contact"),
      notes: value("notes"),
    };
  });
  const keep = (serials: Set<string>) =>
    [head, ...rest.filter((_, i) => serials.has(claims[i]?.serial ?? ""))].join("\n");
  return { claims, fault: "", keep };
}
