import { useEffect, useSyncExternalStore } from "react";
import type { HappenedEvent } from "./client";
import { keys, queryClient } from "./queries";

/** How far what is shown can be believed. */
export type Live = { state: "connecting" | "live" | "stale"; since: number };

let live: Live = { state: "connecting", since: Date.now() };
const listeners = new Set<() => void>();

function setLive(state: Live["state"]) {
  if (live.state === state) return;
  live = { state, since: Date.now() };
  for (const l of listeners) l();
}

export const useLive = () =>
  useSyncExternalStore(
    (l) => {
      listeners.add(l);
      return () => listeners.delete(l);
    },
    () => live,
  );

const silence = 16_000; // ms: three beats of the stream and a little

/** Listens to what happens while somebody is signed in, and marks what is old by it. */
export function useStream(on: boolean) {
  useEffect(() => {
    if (!on) return;
    const source = new EventSource("/api/v1/events");
    let watchdog = 0;
    const heard = () => {
      setLive("live");
      window.clearTimeout(watchdog);
      watchdog = window.setTimeout(() => setLive("stale"), silence);
    };
    source.addEventListener("beat", heard);
    source.addEventListener("reset", () => {
      heard();
      void queryClient.invalidateQueries();
    });
    source.addEventListener("event", (m) => {
      heard();
      happened(JSON.parse(m.data));
    });
    source.onerror = () => {
      setLive("stale");
      // An ended session ends the stream too: find out.
      if (source.readyState === EventSource.CLOSED) void queryClient.invalidateQueries({ queryKey: keys.me });
    };
    return () => {
      source.close();
      window.clearTimeout(watchdog);
      setLive("connecting");
    };
  }, [on]);
}

function happened(e: HappenedEvent) {
  const old = (...queryKey: readonly unknown[]) => void queryClient.invalidateQueries({ queryKey });
  if (e.kind === "change") {
    old(...keys.changes);
    return;
  }
  if (e.device) old(...keys.device(e.device));
  if (e.kind === "state") return;
  old(...keys.devices);
  old(...keys.ports);
  old(...keys.sites);
  old(...keys.events);
  if (e.kind === "config" && e.device) old(...keys.configuration(e.device));
}
