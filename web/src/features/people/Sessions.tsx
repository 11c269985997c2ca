import { Button, Failure } from "../../ui/controls";
import { Ago } from "../../ui/time";
import { useEndSession, useSessions } from "./queries";

/** The browsers in which one is signed in, which may be ended from here. */
export function Sessions() {
  const sessions = useSessions();
  const end = useEndSession();
  if (sessions.isError) return <Failure error={sessions.error} retry={() => void sessions.refetch()} />;
  return (
    <div className="grid gap-2 p-3">
      <ul className="grid gap-1.5" aria-label="Sessions">
        {(sessions.data?.items ?? []).map((s) => (
          <li key={s.id} className="grid grid-cols-[minmax(0,1fr)_auto] items-center gap-3">
            <span className="min-w-0">
              <span className="block truncate" title={s.agent}>
                {s.this ? "This browser" : browserOf(s.agent ?? "")}
                {s.address && <span className="text-soft"> at {s.address}</span>}
              </span>
              <span className="block truncate text-sm text-soft">
                signed in <Ago at={s.made_at} />, last used <Ago at={s.seen_at} />
              </span>
            </span>
            {!s.this && (
              <Button disabled={end.isPending} onClick={() => end.mutate(s.id)}>
                End it
              </Button>
            )}
          </li>
        ))}
      </ul>
      <p className="text-sm text-soft">A session ends after 12 hours, or two hours without use.</p>
      {end.error && (
        <p role="alert" className="text-down">
          {end.error.message}
        </p>
      )}
    </div>
  );
}

/** The program that a browser says it is, in short. */
function browserOf(agent: string): string {
  const system = /\(([^;)]+)/.exec(agent)?.[1];
  return system ? `A browser on ${system}` : "A browser";
}
