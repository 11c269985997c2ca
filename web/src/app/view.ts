import { useCallback } from "react";
import { useSearchParams } from "react-router";

/** A piece of what is on show, kept in the address, so that a link or a reload shows the same again. */
export function useView(name: string, initial = ""): [string, (value: string) => void] {
  const [params, setParams] = useSearchParams();
  const set = useCallback(
    (value: string) =>
      setParams(
        (p) => {
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

/** The scope and the tray stay while one moves between areas. */
export function useKept(): (path: string) => string {
  const [params] = useSearchParams();
  const kept = new URLSearchParams();
  for (const name of ["scope", "tray"]) {
    const v = params.get(name);
    if (v) kept.set(name, v);
  }
  const s = kept.toString();
  return (path) => (s ? `${path}?${s}` : path);
}

/** The selector that is in force on the whole console. */
export const useScope = () => useView("scope");
