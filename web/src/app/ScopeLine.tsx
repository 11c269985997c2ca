import { clsx } from "clsx";
import { type RefObject, useEffect, useId, useRef, useState } from "react";
import type { Fault, Person } from "../api/client";
import { useCompletion, useReading } from "../api/lists";
import { useSettled } from "../ui/settled";
import { many } from "../ui/time";
import { SavedScopes } from "./SavedScopes";
import { useScope } from "./view";

/**
 * One selector that narrows every page. It stands in the address and comes into force as it is typed, as soon as it can be
 * read; until then the last one that could stays, and what is wrong is said under the line.
 */
export function ScopeLine({ input, me }: { input: RefObject<HTMLInputElement | null>; me: Person }) {
  const [scope, setScope] = useScope();
  const [text, setText] = useState(scope);
  const [at, setAt] = useState(scope.length);
  const [open, setOpen] = useState(false);
  const [chosen, setChosen] = useState(-1);
  const typed = useRef(scope);
  const list = useId();
  const faultId = useId();
  useEffect(() => {
    if (scope !== typed.current) {
      typed.current = scope;
      setText(scope);
    }
  }, [scope]);
  const completion = useCompletion(text, at, open);
  const candidates = open ? (completion.data?.candidates ?? []) : [];
  // In the middle of a word that may become a field, a value or a keyword, what it means is not yet known.
  const half = candidates.length > 0 && (completion.data?.to ?? 0) > (completion.data?.from ?? 0);
  const settled = useSettled(text, half ? 900 : 150);
  const reading = useReading(settled);
  const fault = reading.data?.fault;
  const current = settled === text && !reading.isPlaceholderData && !reading.isFetching;
  useEffect(() => {
    if (!current || reading.isError || fault || text === scope || text !== settled) return;
    typed.current = text;
    setScope(text);
  }, [current, reading.isError, fault, text, settled, scope, setScope]);
  const take = (i: number) => {
    const c = completion.data;
    const candidate = c?.candidates[i];
    if (!c || !candidate) return;
    const chars = [...text];
    const put = `${candidate.text} `;
    const next = [...chars.slice(0, c.from), put, ...chars.slice(c.to)].join("");
    const cursor = [...chars.slice(0, c.from), ...put].length;
    setText(next);
    setAt(cursor);
    setChosen(-1);
    requestAnimationFrame(() => input.current?.setSelectionRange(cursor, cursor));
  };
  const onKeyDown = (e: React.KeyboardEvent<HTMLInputElement>) => {
    if (e.key === "ArrowDown" || e.key === "ArrowUp") {
      e.preventDefault();
      setOpen(true);
      const n = candidates.length;
      if (n > 0) setChosen((chosen + (e.key === "ArrowDown" ? 1 : chosen < 0 ? 0 : -1) + n) % n);
    } else if ((e.key === "Enter" || e.key === "Tab") && open && chosen >= 0) {
      e.preventDefault();
      take(chosen);
    } else if (e.key === "Tab" && open && candidates.length > 0 && text !== "" && !e.shiftKey) {
      const first = candidates[0];
      const c = completion.data;
      if (c && first && c.to > c.from) {
        e.preventDefault();
        take(0);
      }
    } else if (e.key === "Enter") setOpen(false);
    else if (e.key === "Escape") {
      if (open && candidates.length > 0) setOpen(false);
      else {
        setText("");
        e.currentTarget.blur();
      }
    }
  };
  return (
    <div className="relative min-w-0 max-w-3xl grow">
      <div
        className={clsx(
          "flex items-center gap-2 rounded-sm border bg-raised px-2 focus-within:border-accent",
          fault ? "border-down" : "border-rule",
        )}
      >
        <span className="text-xs font-semibold text-soft">Scope</span>
        <input
          ref={input}
          role="combobox"
          aria-label="Scope: a selector that narrows every page"
          aria-expanded={candidates.length > 0}
          aria-controls={list}
          aria-autocomplete="list"
          aria-activedescendant={chosen >= 0 ? `${list}-${chosen}` : undefined}
          aria-invalid={Boolean(fault)}
          aria-describedby={fault ? faultId : undefined}
          placeholder="everything — try: kind = switch and port.up = false"
          value={text}
          spellCheck={false}
          autoComplete="off"
          onChange={(e) => {
            setText(e.target.value);
            setAt([...e.target.value.slice(0, e.target.selectionStart ?? e.target.value.length)].length);
            setOpen(true);
            setChosen(-1);
          }}
          onSelect={(e) => setAt([...text.slice(0, e.currentTarget.selectionStart ?? text.length)].length)}
          onFocus={() => setOpen(true)}
          onBlur={() => {
            setOpen(false);
            setChosen(-1);
          }}
          onKeyDown={onKeyDown}
          className="h-7 min-w-0 grow bg-transparent font-mono text-sm outline-none placeholder:font-sans placeholder:text-soft"
        />
        <span className="whitespace-nowrap text-xs text-soft max-md:hidden" aria-live="polite">
          {reading.data && !fault
            ? `${many(reading.data.devices, "device")}, ${many(reading.data.ports, "port")}`
            : fault
              ? "cannot be read"
              : "–"}
        </span>
        {text && (
          <button type="button" className="text-xs text-accent" onClick={() => setText("")}>
            clear
          </button>
        )}
        <SavedScopes me={me} scope={scope} setScope={setScope} />
      </div>
      {fault && <FaultLine id={faultId} fault={fault} text={settled} />}
      <div
        id={list}
        role="listbox"
        aria-label="How the selector may go on"
        className={clsx(
          "absolute left-0 z-30 mt-1 max-h-[360px] w-[460px] max-w-[90vw] overflow-auto rounded border border-rule bg-panel p-1 shadow-xl",
          candidates.length === 0 && "hidden",
          fault ? "top-[calc(100%+34px)]" : "top-full",
        )}
      >
        {candidates.map((c, i) => (
          <div
            key={c.text}
            id={`${list}-${i}`}
            role="option"
            tabIndex={-1}
            aria-selected={i === chosen}
            onMouseDown={(e) => {
              e.preventDefault();
              take(i);
            }}
            className={clsx(
              "flex h-7 cursor-pointer items-center gap-3 rounded-sm px-2",
              i === chosen ? "bg-buff text-buff-ink" : "hover:bg-ground",
            )}
          >
            <span className="shrink-0 font-mono text-sm">{c.text}</span>
            <span className="truncate text-xs text-soft">{c.help}</span>
          </div>
        ))}
      </div>
    </div>
  );
}

/** What is wrong, and where: the part of the text is shown. */
function FaultLine({ id, fault, text }: { id: string; fault: Fault; text: string }) {
  const chars = [...text];
  return (
    <p
      id={id}
      role="alert"
      className="absolute left-0 top-full z-30 mt-1 max-w-full truncate rounded-sm border border-down bg-panel px-2 py-1 text-sm text-down shadow"
    >
      {fault.end > fault.at && (
        <span className="mr-2 font-mono text-soft">
          {chars.slice(Math.max(0, fault.at - 12), fault.at).join("")}
          <mark className="bg-minus text-down underline decoration-wavy">
            {chars.slice(fault.at, fault.end).join("")}
          </mark>
        </span>
      )}
      {fault.problem} at {fault.at + 1}
      {fault.hint && `: ${fault.hint}`}
    </p>
  );
}
