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

/** Whether what is shown is held still, since when, and how much has happened meanwhile. */
export type Held = { since: number; missed: number } | null;

let held: Held = null;

/** Holds what is shown still, or lets it follow what happens again. */
export function hold(on: boolean) {
  held = on ? { since: Date.now(), missed: 0 } : null;
  if (!on) renew();
  for (const l of listeners) l();
}

export const useHeld = () =>
  useSyncExternalStore(
    (l) => {
      listeners.add(l);
      return () => listeners.delete(l);
    },
    () => held,
  );

export const useLive = () =>
  useSyncExternalStore(
    (l) => {
      listeners.add(l);
      return () => listeners.delete(l);
    },
    () => live,
  );

const silence = 16_000; // ms: three beats of the stream and a little

type Word = { kind: "beat" } | { kind: "reset" } | { kind: "stale" } | { kind: "event"; event: HappenedEvent };

/**
 * Listens to what happens while somebody is signed in, and marks what is old by it. One window of the browser holds the
 * stream and tells the others: a browser opens only few connections to one service, and each stream would take one.
 */
export function useStream(on: boolean) {
  useEffect(() => {
    if (!on) return;
    const channel = new BroadcastChannel("everypost.events");
    let watchdog = 0;
    const take = (w: Word) => {
      window.clearTimeout(watchdog);
      if (w.kind === "stale") {
        setLive("stale");
        return;
      }
      setLive("live");
      watchdog = window.setTimeout(() => setLive("stale"), silence);
      if (held) {
        if (w.kind === "event" && w.event.kind !== "state") {
          held = { ...held, missed: held.missed + 1 };
          for (const l of listeners) l();
        }
        return;
      }
      if (w.kind === "reset") renew();
      if (w.kind === "event") happened(w.event);
    };
    channel.onmessage = (m) => take(m.data as Word);
    let stop = listen((w) => {
      take(w);
      channel.postMessage(w);
    });
    // A page that the browser keeps for the way back must not keep the stream.
    const leave = () => stop();
    const back = (e: PageTransitionEvent) => {
      if (!e.persisted) return;
      renew();
      stop = listen((w) => {
        take(w);
        channel.postMessage(w);
      });
    };
    window.addEventListener("pagehide", leave);
    window.addEventListener("pageshow", back);
    return () => {
      window.removeEventListener("pagehide", leave);
      window.removeEventListener("pageshow", back);
      stop();
      channel.close();
      window.clearTimeout(watchdog);
      setLive("connecting");
    };
  }, [on]);
}

/** Holds the stream as soon as no other window does, until the function that is returned is called. */
function listen(tell: (w: Word) => void): () => void {
  const waiting = new AbortController();
  let release = () => {};
  navigator.locks
    .request("everypost.stream", { signal: waiting.signal }, () => {
      const source = new EventSource("/api/v1/events");
      source.addEventListener("beat", () => tell({ kind: "beat" }));
      source.addEventListener("reset", () => tell({ kind: "reset" }));
      source.addEventListener("event", (m) => tell({ kind: "event", event: JSON.parse(m.data) }));
      source.onerror = () => {
        tell({ kind: "stale" });
        // An ended session ends the stream too: find out.
        if (source.readyState === EventSource.CLOSED) void queryClient.invalidateQueries({ queryKey: keys.me });
      };
      return new Promise<void>((resolve) => {
        release = () => {
          source.close();
          resolve();
        };
      });
    })
    .catch(() => {}); // given up before it was our turn
  return () => {
    waiting.abort();
    release();
  };
}

/**
 * Has what filters pick read anew. What is just being read for the first time may be answered as it was before: invalidating it does not begin another
 * reading, so one follows the answer.
 */
function renew(filters: { queryKey?: readonly unknown[] } = {}) {
  for (const q of queryClient.getQueryCache().findAll(filters)) {
    if (q.state.fetchStatus !== "fetching" || q.state.data !== undefined) continue;
    const again = () => queryClient.invalidateQueries({ queryKey: q.queryKey, exact: true });
    void q.promise?.then(again, again);
  }
  void queryClient.invalidateQueries(filters);
}

/** What is old, until it is said: many things that happen at once cost one reading each second. */
const old = new Map<string, readonly unknown[]>();
let saying = 0;

function mark(...queryKey: readonly unknown[]) {
  old.set(JSON.stringify(queryKey), queryKey);
  if (saying) return;
  saying = window.setTimeout(say, 30); // one thing that happens alone is shown at once
}

function say() {
  const list = [...old.values()];
  old.clear();
  for (const queryKey of list) renew({ queryKey });
  saying = window.setTimeout(() => {
    saying = 0;
    if (old.size > 0) say();
  }, 1000);
}

function happened(e: HappenedEvent) {
  if (e.kind === "change") {
    mark(...keys.changes);
    for (const what of ["templates", "site-layer", "standing"]) mark("reading", what);
    return;
  }
  if (e.kind === "alarm") {
    mark("alarms");
    mark("map");
    if (e.code) mark(...keys.events);
    return;
  }
  if (e.kind === "operation") {
    mark("operation", e.operation);
    if (e.device) mark("operations", e.device);
    return;
  }
  if (e.kind === "job") {
    mark("jobs");
    if (e.code) mark(...keys.events);
    return;
  }
  if (e.kind === "guest") {
    mark("guests");
    return;
  }
  if (e.kind === "search") {
    mark(...keys.discoveries);
    mark(...keys.found);
    mark(...keys.claims);
    return;
  }
  if (e.device) mark(...keys.device(e.device));
  if (e.kind === "state") return;
  mark(...keys.devices);
  mark(...keys.ports);
  mark(...keys.sites);
  mark(...keys.clients);
  mark(...keys.links);
  mark(...keys.groups);
  if (e.kind === "fleet") mark(...keys.claims);
  mark(...keys.map);
  mark(...keys.events);
  mark("reading");
  if (e.kind === "config") {
    mark("backups");
    if (e.device) mark(...keys.configuration(e.device));
  }
}
