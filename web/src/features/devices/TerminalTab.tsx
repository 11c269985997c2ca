import { FitAddon } from "@xterm/addon-fit";
import { Terminal } from "@xterm/xterm";
import "@xterm/xterm/css/xterm.css";
import { useEffect, useRef, useState } from "react";
import { csrfToken, triedRole } from "../../api/client";
import { Button, Empty, Panel } from "../../ui/controls";

type State = { is: "closed" | "opening" | "open" | "ended"; number?: number; why?: string };

/** A terminal on the device, opened by hand: what is typed there is done at once. */
export default function TerminalTab({ name, connected }: { name: string; connected: boolean }) {
  const [state, setState] = useState<State>({ is: "closed" });
  const [round, setRound] = useState(0);
  const running = state.is === "opening" || state.is === "open";
  const open = () => {
    setState({ is: "opening" });
    setRound((n) => n + 1);
  };
  return (
    <Panel
      title={state.number ? `Terminal ${state.number} on ${name}` : `Terminal on ${name}`}
      aside={
        running ? (
          <Button
            kind="quiet"
            className="h-6 text-buff-ink"
            onClick={() => setState({ ...state, is: "ended", why: "it was closed" })}
          >
            End it
          </Button>
        ) : undefined
      }
    >
      {state.is === "closed" ? (
        <Empty title="What is typed here is done by the device at once, without draft or trial">
          <p>What the device shows is recorded under your name.</p>
          {triedRole() ? (
            <p className="mt-2">Nothing is done while a role is tried.</p>
          ) : (
            <p className="mt-3">
              <Button kind="main" onClick={open} disabled={!connected}>
                Open a terminal
              </Button>
            </p>
          )}
          {!connected && <p className="mt-2">The device is not in hand.</p>}
        </Empty>
      ) : (
        <>
          <Screen key={round} name={name} running={running} tell={setState} />
          {state.is === "ended" && (
            <div role="alert" className="flex items-center justify-between gap-3 border-t border-rule px-3 py-2">
              <span>It ended: {state.why}.</span>
              <Button onClick={open}>Open another</Button>
            </div>
          )}
        </>
      )}
    </Panel>
  );
}

function Screen({ name, running, tell }: { name: string; running: boolean; tell: (s: State) => void }) {
  const box = useRef<HTMLDivElement>(null);
  const socket = useRef<WebSocket>(null);
  useEffect(() => {
    const el = box.current;
    if (!el) return;
    const css = getComputedStyle(document.documentElement);
    const colour = (n: string) => css.getPropertyValue(n).trim();
    const term = new Terminal({
      fontFamily: css.getPropertyValue("--font-mono") || "monospace",
      fontSize: 13,
      cursorBlink: !window.matchMedia("(prefers-reduced-motion: reduce)").matches,
      screenReaderMode: true,
      theme: {
        background: colour("--raised"),
        foreground: colour("--ink"),
        cursor: colour("--accent"),
        cursorAccent: colour("--raised"),
        selectionBackground: colour("--accent-soft"),
      },
    });
    const fit = new FitAddon();
    term.loadAddon(fit);
    term.open(el);
    fit.fit();
    const ws = new WebSocket(`/api/v1/devices/${encodeURIComponent(name)}/terminal`);
    ws.binaryType = "arraybuffer";
    socket.current = ws;
    let number: number | undefined;
    let over = false;
    const end = (why: string) => {
      if (over) return;
      over = true;
      tell({ is: "ended", number, why });
    };
    ws.onopen = () => ws.send(JSON.stringify({ csrf: csrfToken(), columns: term.cols, rows: term.rows }));
    ws.onmessage = (m) => {
      if (typeof m.data !== "string") {
        term.write(new Uint8Array(m.data));
        return;
      }
      const f = JSON.parse(m.data) as { number?: number; ended?: string };
      if (f.number) {
        number = f.number;
        tell({ is: "open", number });
        term.focus();
      }
      if (f.ended) end(f.ended);
    };
    ws.onclose = () => end(number ? "the connection to the service was lost" : "the service did not open it");
    const bytes = new TextEncoder();
    term.onData((text) => ws.readyState === WebSocket.OPEN && ws.send(bytes.encode(text)));
    term.onResize(
      ({ cols, rows }) => ws.readyState === WebSocket.OPEN && ws.send(JSON.stringify({ columns: cols, rows })),
    );
    const watch = new ResizeObserver(() => fit.fit());
    watch.observe(el);
    return () => {
      over = true;
      watch.disconnect();
      ws.close();
      term.dispose();
    };
  }, [name, tell]);
  useEffect(() => {
    if (!running) socket.current?.close();
  }, [running]);
  return <div ref={box} className="h-[max(300px,calc(100vh-390px))] bg-raised p-2" />;
}
