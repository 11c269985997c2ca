import type { ReactNode } from "react";
import { shown } from "../../ui/secret";

/** Values that are lists of numbers or words, of which only what comes and goes is of interest. */
const listed = [
  "trunk-vlans",
  "ntp-servers",
  "dns-servers",
  "syslog-servers",
  "radius-servers",
  "management-from",
  "sources",
  "fabric-ports",
  "zone-ports",
  "class-dscp",
  "management-in",
  "follow",
];

/** The items of a list, with ranges of numbers written out. */
function items(value: string): string[] {
  if (value === "none") return [];
  return value.split(",").flatMap((part) => {
    const range = /^(\d+)-(\d+)$/.exec(part);
    if (!range) return [part];
    const [from, to] = [Number(range[1]), Number(range[2])];
    return Array.from({ length: to - from + 1 }, (_, i) => String(from + i));
  });
}

/** A value, which is broken after its commas rather than within what it lists. */
function Value({ of }: { of: string }) {
  const [first, ...rest] = shown(of).split(/(?<=,)/);
  return rest.reduce<ReactNode>(
    (done, part) => (
      <>
        {done}
        <wbr />
        {part}
      </>
    ),
    first || "empty",
  );
}

const del = "break-words bg-minus px-1 font-mono text-sm no-underline";
const ins = "break-words bg-plus px-1 font-mono text-sm no-underline";

/** More than so many letters have no room in one of two narrow cells. */
const roomForLetters = 11;

/** What becomes of a value: before and after, or of a long list what goes and what comes. Two cells of a table, or one of their width. */
export function Delta({
  field,
  before,
  after,
  narrow,
}: {
  field: string;
  before: string;
  after: string;
  narrow?: boolean;
}) {
  const [was, is] = [items(before), items(after)];
  if (listed.includes(field) && before && after && was.length + is.length > 6) {
    const gone = was.filter((v) => !is.includes(v));
    const come = is.filter((v) => !was.includes(v));
    return (
      <td colSpan={2} className="py-1 pr-1" title={`${before}\n${after}`}>
        {gone.length > 0 && <del className={del}>without {gone.join(",")}</del>}{" "}
        {come.length > 0 && <ins className={ins}>with {come.join(",")}</ins>}{" "}
        <span className="text-sm text-soft">{is.length} in all</span>
      </td>
    );
  }
  if (narrow && Math.max(shown(before).length, shown(after).length) > roomForLetters)
    return (
      <td colSpan={2} className="py-1 pr-1">
        <del className={del}>
          <Value of={before} />
        </del>{" "}
        <ins className={ins}>
          <Value of={after} />
        </ins>
      </td>
    );
  return (
    <>
      <td className="py-1 pr-1">
        <del className={del}>
          <Value of={before} />
        </del>
      </td>
      <td className="py-1 pr-1">
        <ins className={ins}>
          <Value of={after} />
        </ins>
      </td>
    </>
  );
}
