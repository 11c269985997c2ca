import { useState } from "react";
import { Button, Failure, Field, inputClass } from "../../ui/controls";
import { Ago } from "../../ui/time";
import { useDropToken, useMakeToken, useTokens } from "./queries";

/** The tokens of a user, or with "" one's own, which may also be made. */
export function Tokens({ user }: { user: string }) {
  const tokens = useTokens(user);
  const drop = useDropToken();
  if (tokens.isError) return <Failure error={tokens.error} retry={() => void tokens.refetch()} />;
  const list = tokens.data?.items ?? [];
  return (
    <section className="grid gap-2" aria-label="Tokens">
      <h3 className="text-sm font-semibold">Tokens</h3>
      {list.length === 0 && <p className="text-soft">None. Programs and the command line sign in with tokens.</p>}
      <ul className="grid gap-1">
        {list.map((t) => (
          <li key={t.id} className="grid grid-cols-[minmax(0,1fr)_auto] items-center gap-3">
            <span className="min-w-0">
              <span className="block truncate">{t.label}</span>
              <span className="block truncate text-sm text-soft">
                {t.read_only ? "may only see" : "all rights of the person"}, made <Ago at={t.created_at} />, until{" "}
                {new Date(t.expires_at).toLocaleDateString("en-GB")}
              </span>
            </span>
            <Button disabled={drop.isPending} onClick={() => drop.mutate({ user, id: t.id })}>
              Take back
            </Button>
          </li>
        ))}
      </ul>
      {drop.error && (
        <p role="alert" className="text-down">
          {drop.error.message}
        </p>
      )}
      {!user && <NewToken />}
    </section>
  );
}

function NewToken() {
  const [label, setLabel] = useState("");
  const [days, setDays] = useState("30");
  const [see, setSee] = useState(true);
  const make = useMakeToken();
  return (
    <form
      className="flex flex-wrap items-end gap-3 border-t border-rule pt-3"
      onSubmit={(e) => {
        e.preventDefault();
        make.mutate({ label, read_only: see, days: Number(days) }, { onSuccess: () => setLabel("") });
      }}
    >
      <div className="w-64">
        <Field label="What a new token is for">
          {(id) => (
            <input
              id={id}
              value={label}
              maxLength={100}
              onChange={(e) => setLabel(e.target.value)}
              className={inputClass}
            />
          )}
        </Field>
      </div>
      <div className="w-24">
        <Field label="Days">
          {(id) => (
            <input
              id={id}
              type="number"
              min={1}
              max={366}
              value={days}
              onChange={(e) => setDays(e.target.value)}
              className={inputClass}
            />
          )}
        </Field>
      </div>
      <label className="flex h-7 items-center gap-2">
        <input type="checkbox" checked={see} onChange={(e) => setSee(e.target.checked)} /> may only see
      </label>
      <Button type="submit" kind="main" disabled={!label.trim() || make.isPending}>
        Make a token
      </Button>
      {make.error && (
        <p role="alert" className="w-full text-down">
          {make.error.message}
        </p>
      )}
      {make.data && (
        <p role="status" className="w-full rounded border border-accent bg-ground p-2">
          This is the token. It is shown this once:{" "}
          <code className="break-all font-mono text-sm">{make.data.secret}</code>
        </p>
      )}
    </form>
  );
}
