import { useCallback, useEffect, useRef, useState } from "react";
import { useLocation, useSearchParams } from "react-router";

/** A piece of what is on show, kept in the address, so that a link or a reload shows the same again. */
export function useView(name: string, initial = ""): [string, (value: string) => void] {
  const [params, setParams] = useSearchParams();
  const set = useCallback(
    (value: string) =>
      setParams(
        () => {
          // As the address is at this moment: another piece may have been set just before, and is not yet rendered.
          const p = new URLSearchParams(window.location.search);
          if (value === initial) p.delete(name);
          else p.set(name, value);
          return p;
        },
        { replace: true },
      ),
    [name, initial, setParams],
  );
  return [params.get(name) ?? initial, set];
}

/** The same for what is typed: it shows at once and comes into the address a moment later, so that no letter is lost. */
export function useTyped(name: string): [string, (value: string) => void] {
  const [kept, setKept] = useView(name);
  const [text, setText] = useState(kept);
  const last = useRef(kept);
  const onTheWay = useRef<string[]>([]); // put into the address, and not seen there yet: what comes back late overwrites nothing
  useEffect(() => {
    const at = onTheWay.current.indexOf(kept);
    if (at >= 0) {
      onTheWay.current = onTheWay.current.slice(at + 1);
    } else if (kept !== last.current) {
      onTheWay.current = [];
      last.current = kept;
      setText(kept);
    }
  }, [kept]);
  useEffect(() => {
    if (text === last.current) return;
    const t = window.setTimeout(() => {
      last.current = text;
      onTheWay.current = [...onTheWay.current.slice(-20), text];
      setKept(text);
    }, 200);
    return () => window.clearTimeout(t);
  }, [text, setKept]);
  return [text, setText];
}

/** The scope and the tray stay while one moves between areas. */
export function useKept(): (path: string) => string {
  const [params] = useSearchParams();
  const kept = new URLSearchParams();
  for (const name of ["scope", "tray"]) {
    const v = params.get(name);
    if (v) kept.set(name, v);
  }
  const s = kept.toString();
  return (path) => (s ? `${path}${path.includes("?") ? "&" : "?"}${s}` : path);
}

/** The selector that is in force on the whole console. */
export const useScope = () => useView("scope");

/** What is on show, from the whole to the part: the device or area, the tab or template, the scope. */
export function titleOf(path: string, params: URLSearchParams): string {
  const [area = "watch", name] = path.split("/").filter(Boolean).map(decodeURIComponent);
  const words: Record<string, string> = {
    own: "Your account",
    expected: "Expected devices",
    vlans: "VLANs",
    setup: "Set up",
  };
  const first = name ?? words[area] ?? area.charAt(0).toUpperCase() + area.slice(1);
  const parts = [
    params.get("sel") ?? "",
    first,
    (params.get("tab") ?? "").replaceAll("-", " "),
    params.get("template") ?? params.get("site") ?? params.get("vlan") ?? "",
    params.get("scope") ?? "",
  ];
  return [...parts.filter(Boolean), "Every Post"].join(" · ");
}

/** Keeps the title of the window at what is on show. */
export function useTitle() {
  const { pathname } = useLocation();
  const [params] = useSearchParams();
  const title = titleOf(pathname, params);
  useEffect(() => {
    document.title = title;
  }, [title]);
}
