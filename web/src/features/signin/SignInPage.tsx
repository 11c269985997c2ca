import { type FormEvent, useState } from "react";
import { useSignIn } from "../../api/queries";
import { Button, Field, inputClass } from "../../ui/controls";
import { WordMark } from "../../ui/kinds";

export function SignInPage() {
  const signIn = useSignIn();
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const submit = (e: FormEvent) => {
    e.preventDefault();
    signIn.mutate({ name: name.trim(), password });
  };
  return (
    <main className="relative grid h-full place-items-center overflow-hidden">
      <Soundings />
      <form onSubmit={submit} className="relative w-[340px] rounded border border-rule bg-panel p-6">
        <h1 className="mb-1 text-xl">
          <WordMark />
        </h1>
        <p className="mb-5 text-soft">Sign in to see and run your network.</p>
        <div className="grid gap-3">
          <Field label="User name">
            {(id) => (
              <input
                id={id}
                className={inputClass}
                value={name}
                onChange={(e) => setName(e.target.value)}
                autoComplete="username"
                autoCapitalize="none"
                // biome-ignore lint/a11y/noAutofocus: the page has this one purpose
                autoFocus
                required
              />
            )}
          </Field>
          <Field label="Password">
            {(id) => (
              <input
                id={id}
                type="password"
                className={inputClass}
                value={password}
                onChange={(e) => setPassword(e.target.value)}
                autoComplete="current-password"
                required
              />
            )}
          </Field>
          {signIn.isError && (
            <p role="alert" className="text-down">
              {signIn.error.message[0]?.toUpperCase() + signIn.error.message.slice(1)}
            </p>
          )}
          <Button type="submit" kind="main" className="mt-1 h-8" disabled={signIn.isPending}>
            {signIn.isPending ? "Signing in…" : "Sign in"}
          </Button>
        </div>
      </form>
    </main>
  );
}

/** Depth contours, as on a chart. */
function Soundings() {
  return (
    <svg
      className="absolute inset-0 h-full w-full text-rule"
      aria-hidden="true"
      preserveAspectRatio="xMidYMid slice"
      viewBox="0 0 1200 800"
    >
      <g fill="none" stroke="currentColor" strokeWidth="1.5">
        {[0, 1, 2, 3, 4, 5, 6].map((i) => (
          <path
            key={i}
            d={`M-20 ${560 + i * 46} C 220 ${430 + i * 52}, 380 ${690 + i * 30}, 620 ${590 + i * 38} S 980 ${420 + i * 60}, 1230 ${520 + i * 44}`}
          />
        ))}
        {[0, 1, 2, 3].map((i) => (
          <path
            key={i}
            d={`M${860 + i * 70} -20 C ${830 + i * 80} ${190 - i * 40}, ${1020 + i * 50} ${270 - i * 62}, 1230 ${230 - i * 62}`}
          />
        ))}
      </g>
    </svg>
  );
}
