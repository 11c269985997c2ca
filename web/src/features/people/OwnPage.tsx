import { useState } from "react";
import type { Person } from "../../api/client";
import { Button, Field, inputClass, Panel } from "../../ui/controls";
import { useOwnPassword } from "./queries";
import { Grants } from "./Roles";
import { Sessions } from "./Sessions";
import { Tokens } from "./Tokens";

/** What is one's own: rights, password, tokens. */
export function OwnPage({ me }: { me: Person }) {
  return (
    <div className="grid items-start gap-3 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
      <h1 className="text-lg font-semibold lg:col-span-2">{me.full_name}</h1>
      <Panel title={`What you may do as ${me.role}${me.only ? `, only where ${me.only}` : ""}`}>
        <Grants rights={me.rights} />
      </Panel>
      <div className="grid gap-3">
        <Panel title="Your password">
          <OwnPassword />
        </Panel>
        <Panel title="Browsers that are signed in">
          <Sessions />
        </Panel>
        <Panel title="Programs that act for you">
          <div className="p-3">
            <Tokens user="" />
          </div>
        </Panel>
      </div>
    </div>
  );
}

function OwnPassword() {
  const [old, setOld] = useState("");
  const [password, setPassword] = useState("");
  const change = useOwnPassword();
  const field = (label: string, value: string, set: (v: string) => void, auto: string, help?: string) => (
    <Field label={label} help={help}>
      {(id, d) => (
        <input
          id={id}
          aria-describedby={d}
          type="password"
          autoComplete={auto}
          value={value}
          onChange={(e) => set(e.target.value)}
          className={inputClass}
        />
      )}
    </Field>
  );
  return (
    <form
      className="grid gap-3 p-3"
      onSubmit={(e) => {
        e.preventDefault();
        change.mutate(
          { old, password },
          {
            onSuccess: () => {
              setOld("");
              setPassword("");
            },
          },
        );
      }}
    >
      {field("Old", old, setOld, "current-password")}
      {field(
        "New",
        password,
        setPassword,
        "new-password",
        "12 characters at least; your other sessions and tokens end",
      )}
      {change.error && (
        <p role="alert" className="text-down">
          {change.error.message}
        </p>
      )}
      {change.isSuccess && <p role="status">Your password is changed.</p>}
      <Button type="submit" className="justify-self-start" disabled={!old || !password || change.isPending}>
        Change it
      </Button>
    </form>
  );
}
