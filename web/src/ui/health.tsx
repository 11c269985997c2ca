import { clsx } from "clsx";

/**
 * The one place where states get their shape, word and colour. Shapes are the day shapes of ships, so that nothing is
 * told by colour alone.
 */
const states: Record<string, { word: string; color: string; path: React.ReactNode }> = {
  well: { word: "well", color: "text-well", path: <circle cx="8" cy="8" r="5.5" fill="currentColor" /> },
  degraded: {
    word: "degraded",
    color: "text-degraded",
    path: <path d="M8 1.5 14.5 8 8 14.5 1.5 8z" fill="currentColor" />,
  },
  down: { word: "down", color: "text-down", path: <path d="M1.5 3h13L8 14.5z" fill="currentColor" /> },
  off: {
    word: "off",
    color: "text-off",
    path: <circle cx="8" cy="8" r="4.75" fill="none" stroke="currentColor" strokeWidth="1.75" />,
  },
  unknown: {
    word: "unknown",
    color: "text-unknown",
    path: <path d="M8 2.2 13.8 8 8 13.8 2.2 8z" fill="none" stroke="currentColor" strokeWidth="1.75" />,
  },
  critical: {
    word: "critical",
    color: "text-down",
    path: <path d="M1.5 1h13L8 8zM1.5 8h13L8 15z" fill="currentColor" />,
  },
  major: { word: "major", color: "text-down", path: <path d="M1.5 3h13L8 14.5z" fill="currentColor" /> },
  minor: {
    word: "minor",
    color: "text-degraded",
    path: <path d="M8 1.5 14.5 8 8 14.5 1.5 8z" fill="currentColor" />,
  },
  warning: {
    word: "warning",
    color: "text-degraded",
    path: <path d="M8 2.2 13.8 8 8 13.8 2.2 8z" fill="none" stroke="currentColor" strokeWidth="1.75" />,
  },
  trial: {
    word: "on trial",
    color: "text-trial",
    path: <path d="M2.5 1.5h11L8 8zM8 8l5.5 6.5h-11z" fill="currentColor" />,
  },
};

export function Shape({ state, size = 12, className }: { state: string; size?: number; className?: string }) {
  const s = states[state] ?? states.unknown;
  return (
    <svg
      viewBox="0 0 16 16"
      width={size}
      height={size}
      className={clsx("inline-block shrink-0", s?.color, className)}
      aria-hidden="true"
    >
      {s?.path}
    </svg>
  );
}

export function HealthMark({ state, word }: { state: string; word?: string }) {
  return (
    <span className="inline-flex items-center gap-1.5 whitespace-nowrap">
      <Shape state={state} />
      <span className="self-baseline">{word ?? states[state]?.word ?? state}</span>
    </span>
  );
}

/** A state of a change or a step of it, as people say it. */
export const changeWord = (state: string) => state.replace("-", " ");

/** The shape of a change's state. */
export function changeShape(state: string): string {
  if (state === "kept") return "well";
  if (state === "failed") return "down";
  if (state === "undone") return "off";
  if (state === "draft" || state === "checked") return "unknown";
  return "trial";
}
