/** Own drawn icons for the kinds of devices, on a grid of 20. */
const drawings: Record<string, React.ReactNode> = {
  switch: (
    <>
      <rect x="1.5" y="6" width="17" height="8" rx="1" />
      <path d="M4.5 9h2M8.5 9h2M12.5 9h2M4.5 11.5h2M8.5 11.5h2M12.5 11.5h2" />
    </>
  ),
  "access-point": (
    <>
      <path d="M3 9.5a10 10 0 0 1 14 0M6 12.3a5.7 5.7 0 0 1 8 0" />
      <path d="M7.5 16h5M10 14v2" />
    </>
  ),
  firewall: (
    <>
      <rect x="2" y="4" width="16" height="12" rx="1" />
      <path d="M2 8h16M2 12h16M8 4v4M13 8v4M7 12v4" />
    </>
  ),
  edge: (
    <>
      <path d="M4 10h12M13 7l3 3-3 3" />
      <path d="M10 2.5v15" strokeDasharray="2 2" />
      <circle cx="4" cy="10" r="2" />
    </>
  ),
  "radio-link": <path d="M4 16 8 6l4 10M6 12h4M13 4a5 5 0 0 1 0 7M16 2a8.5 8.5 0 0 1 0 11" />,
};

export function KindIcon({ kind, size = 18 }: { kind: string; size?: number }) {
  return (
    <svg
      viewBox="0 0 20 20"
      width={size}
      height={size}
      fill="none"
      stroke="currentColor"
      strokeWidth="1.4"
      strokeLinecap="round"
      strokeLinejoin="round"
      aria-hidden="true"
      className="shrink-0"
    >
      {drawings[kind] ?? <rect x="3" y="5" width="14" height="10" rx="1" />}
    </svg>
  );
}

export function WordMark({ className }: { className?: string }) {
  return (
    <span className={className}>
      <svg viewBox="0 0 20 24" width="15" height="18" aria-hidden="true" className="mr-1.5 inline-block align-[-3px]">
        <path d="M9 1h2v22H9z" fill="currentColor" />
        <path d="M11 3h8l-2.5 2.5L19 8h-8zM9 10H1l2.5 2.5L1 15h8z" fill="var(--accent)" />
      </svg>
      <span className="font-semibold tracking-tight" style={{ fontStretch: "115%" }}>
        Every Post
      </span>
    </span>
  );
}
