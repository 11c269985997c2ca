import { useSyncExternalStore } from "react";

let now = Date.now();
const listeners = new Set<() => void>();
window.setInterval(() => {
  now = Date.now();
  for (const l of listeners) l();
}, 1000);

/** The time, once a second, the same for the whole page. */
export const useNow = () =>
  useSyncExternalStore(
    (l) => {
      listeners.add(l);
      return () => listeners.delete(l);
    },
    () => now,
  );

/** How long a span of milliseconds is, in one unit. */
export function span(ms: number): string {
  const s = Math.max(0, Math.round(ms / 1000));
  if (s < 120) return `${s} s`;
  if (s < 7200) return `${Math.floor(s / 60)} min`;
  if (s < 172_800) return `${Math.floor(s / 3600)} h`;
  return `${Math.floor(s / 86_400)} d`;
}

const never = "0001-01-01T00:00:00Z";

/** How long ago something was; the exact moment is its title. */
export function Ago({ at, word = " ago" }: { at: string; word?: string }) {
  const t = useNow();
  if (!at || at === never) return <span>never</span>;
  const d = new Date(at);
  const ms = t - d.getTime();
  return (
    <time dateTime={at} title={d.toLocaleString()}>
      {ms < 2000 ? "now" : span(ms) + word}
    </time>
  );
}

/** A number of things, in words: one port, two ports. */
export const many = (n: number, thing: string) => `${n} ${thing}${n === 1 ? "" : "s"}`;

export const clock = (at: string) =>
  new Date(at).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit", second: "2-digit" });

/** A day as people write it on an axis: 23 Nov. */
export const day = (d: Date) => d.toLocaleDateString("en-GB", { day: "numeric", month: "short" });
/** A time of day: 08:30. */
/** A moment with its day: 28 Nov 02:30. */
export const dayTime = (at: string) => `${day(new Date(at))} ${hours(new Date(at))}`;

export const hours = (d: Date) => d.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });

/** A moment in seconds since 1970, as exactly as steps of that length deserve. */
export const moment = (at: number, step: number) => {
  const d = new Date(at * 1000);
  return step >= 86_400 ? day(d) : `${day(d)} ${hours(d)}`;
};
