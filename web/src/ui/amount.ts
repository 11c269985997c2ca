/** A value with its unit; rates in thousands of it. */
export function amount(v: number | null | undefined, unit: string): string {
  if (v === null || v === undefined) return "–";
  let n = v;
  let prefix = "";
  if (unit.endsWith("/s"))
    for (const p of ["k", "M", "G"]) {
      if (Math.abs(n) < 1000) break;
      n /= 1000;
      prefix = p;
    }
  const text = Math.abs(n) >= 100 || Number.isInteger(n) ? n.toFixed(0) : n.toFixed(Math.abs(n) < 1 ? 2 : 1);
  return `${text} ${prefix}${unit}`.trim();
}

/** What somebody wrote as a number: 70, 2.5, 8G. NaN is none. */
export function quantity(text: string): number {
  const [, digits, prefix] = /^\s*(-?[\d.]+)\s*([kMG]?)\s*$/.exec(text) ?? [];
  return Number(digits ?? "x") * { "": 1, k: 1e3, M: 1e6, G: 1e9 }[(prefix ?? "") as "" | "k" | "M" | "G"];
}
