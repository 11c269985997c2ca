import { useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { api, type Device, type NetworkClient, type NetworkLink, type Port, type Site, take } from "./client";
import { keys } from "./queries";

/** What each list of the network holds. */
export type Rows = { sites: Site; devices: Device; ports: Port; clients: NetworkClient; links: NetworkLink };
export type Noun = keyof Rows;

export type Asked = { where?: string; sort?: string; count?: string; limit?: number; offset?: number; fields?: string };
export type Page<T> = {
  items: T[];
  total: number;
  all?: number;
  next?: string;
  counts?: Record<string, { value: string; count: number }[]>;
};

/** Reads a list, or a page of it. */
export function read<N extends Noun>(noun: N, query: Asked): Promise<Page<Rows[N]>> {
  const params = { params: { query } };
  const get = {
    sites: () => api.GET("/api/v1/sites", params),
    devices: () => api.GET("/api/v1/devices", params),
    ports: () => api.GET("/api/v1/ports", params),
    clients: () => api.GET("/api/v1/clients", params),
    links: () => api.GET("/api/v1/links", params),
  };
  return take<unknown>(get[noun]()) as Promise<Page<Rows[N]>>;
}

/** Puts two selectors together: what both pick. */
export function both(...wheres: (string | undefined)[]): string {
  const parts = wheres.filter((w): w is string => Boolean(w?.trim()));
  return parts.length > 1 ? parts.map((w) => `(${w})`).join(" and ") : (parts[0] ?? "");
}

/** Writes a value so that a selector reads it as one. */
export const quote = (value: string) => `"${value.replace(/[\\"]/g, "\\$&")}"`;

export const useList = <N extends Noun>(noun: N, query: Asked) =>
  useQuery({
    queryKey: [...keys[noun], query],
    queryFn: () => read(noun, query),
    placeholderData: (old) => old,
  });

const pageSize = 200;

/** The pages of a list that are in sight: row(i) is there or still being read. */
export function usePages<N extends Noun>(noun: N, query: Asked, pages: number[]) {
  const results = useQueries({
    queries: pages.map((page) => {
      const asked = { ...query, limit: pageSize, offset: page * pageSize };
      return { queryKey: [...keys[noun], asked], queryFn: () => read(noun, asked) };
    }),
  });
  const byPage = new Map(pages.map((p, i) => [p, results[i]?.data?.items] as const));
  return {
    row: (i: number) => byPage.get(Math.floor(i / pageSize))?.[i % pageSize] as Rows[N] | undefined,
    error: results.find((r) => r.error)?.error ?? null,
  };
}

export const pagesOf = (first: number, last: number): number[] => {
  const out: number[] = [];
  for (let p = Math.floor(first / pageSize); p <= Math.floor(Math.max(first, last) / pageSize); p++) out.push(p);
  return out;
};

/** Reads all of a list, page by page: for exporting, and for selecting a range. */
export async function readAll<N extends Noun>(noun: N, query: Asked): Promise<Rows[N][]> {
  const out: Rows[N][] = [];
  const limit = 5000;
  for (;;) {
    const page = await read(noun, { ...query, limit, offset: (query.offset ?? 0) + out.length });
    out.push(...page.items);
    if (page.items.length < limit || out.length >= page.total) return out;
  }
}

/** The ports of the given references, as they are now. */
export function usePortsByRef(refs: string[]): Port[] {
  const byDevice = new Map<string, string[]>();
  for (const ref of refs) {
    const colon = ref.indexOf(":");
    const device = ref.slice(0, colon);
    byDevice.set(device, [...(byDevice.get(device) ?? []), ref.slice(colon + 1)]);
  }
  const wheres = [...byDevice].flatMap(([device, ports]) => {
    const out: string[] = [];
    for (let i = 0; i < ports.length; i += 100)
      out.push(
        `name = ${quote(device)} and port in (${ports
          .slice(i, i + 100)
          .map(quote)
          .join(", ")})`,
      );
    return out;
  });
  const results = useQueries({
    queries: wheres.map((where) => ({
      queryKey: [...keys.ports, { where, limit: 100 }],
      queryFn: () => read("ports", { where, limit: 100 }),
      placeholderData: (old: Page<Port> | undefined) => old,
    })),
  });
  return results.flatMap((r) => r.data?.items ?? []);
}

/** How an expression reads, or the problem with it. */
export const useReading = (text: string) =>
  useQuery({
    queryKey: ["reading", text],
    queryFn: () => take(api.GET("/api/v1/selectors/reading", { params: { query: { text } } })),
    placeholderData: (old) => old,
    retry: false,
  });

export const useCompletion = (text: string, at: number, on: boolean) =>
  useQuery({
    queryKey: ["completion", text, at],
    queryFn: () => take(api.GET("/api/v1/selectors/completion", { params: { query: { text, at } } })),
    enabled: on,
    placeholderData: (old) => old,
    staleTime: 10_000,
  });

/** How one likes something, as JSON. It is kept by the service, so that it is the same in every browser. */
export function usePreference<T>(name: string, initial: T): [T, (value: T | null) => void] {
  const qc = useQueryClient();
  const all = useQuery({ queryKey: keys.preferences, queryFn: () => take(api.GET("/api/v1/preferences")) });
  const set = useCallback(
    (value: T | null) => {
      const text = value === null ? "" : JSON.stringify(value);
      qc.setQueryData(keys.preferences, (old: Record<string, string> | undefined) => ({ ...old, [name]: text }));
      void take(
        api.PUT("/api/v1/preferences/{preference}", {
          params: { path: { preference: name } },
          body: { value: text },
          keepalive: true, // it goes on when the page is left at once
        }),
      );
    },
    [name, qc],
  );
  const text = all.data?.[name];
  if (!text) return [initial, set];
  try {
    return [JSON.parse(text) as T, set];
  } catch {
    return [initial, set];
  }
}
