import { useCallback, useEffect, useMemo, useRef } from "react";
import { useView } from "../../app/view";

type Keys = { shiftKey?: boolean; ctrlKey?: boolean; metaKey?: boolean };

/** The picked ports, in the address. Shift picks from the last one to this in the order given, Ctrl one more or less. */
export function usePicked(order: string[]) {
  const [text, setText] = useView("sel");
  const set = useMemo(() => new Set(text ? text.split(",") : []), [text]);
  const last = useRef("");
  const put = useCallback((s: Iterable<string>) => setText([...s].join(",")), [setText]);
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      const inDialog = e.target instanceof HTMLElement && e.target.closest("[role=dialog], input, textarea, select");
      if (e.key === "Escape" && !inDialog) setText("");
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [setText]);
  return {
    set,
    pick(port: string, keys: Keys) {
      const from = order.indexOf(last.current);
      const to = order.indexOf(port);
      if (keys.shiftKey && from >= 0) {
        put(new Set([...set, ...order.slice(Math.min(from, to), Math.max(from, to) + 1)]));
        return;
      }
      last.current = port;
      if (keys.ctrlKey || keys.metaKey) {
        const next = new Set(set);
        if (!next.delete(port)) next.add(port);
        put(next);
      } else put(set.size === 1 && set.has(port) ? [] : [port]);
    },
    /** Picks as pick does, where the ports between are not at hand and must be asked for. */
    async pickRange(port: string, keys: Keys, range: () => Promise<string[]>) {
      if (!keys.shiftKey || !last.current) {
        this.pick(port, keys);
        return;
      }
      const between = await range();
      put(new Set([...set, ...(between.length > 0 ? between : [port])]));
    },
    add(port: string) {
      if (!set.has(port)) put([...set, port]);
    },
    clear: () => setText(""),
  };
}
