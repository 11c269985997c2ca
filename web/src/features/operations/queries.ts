import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take } from "../../api/client";
import { keys } from "../../api/queries";

/** What devices can be asked to do: it does not change while the page is open. */
export const useOperationKinds = () =>
  useQuery({
    queryKey: ["operation-kinds"],
    queryFn: () => take(api.GET("/api/v1/operations/kinds")),
    staleTime: Infinity,
  });

export const operationKeys = {
  one: (number: number) => ["operation", number] as const,
  of: (device: string) => ["operations", device] as const,
};

/** What a device was asked to do, the newest first. */
export const useOperations = (device: string) =>
  useQuery({
    queryKey: operationKeys.of(device),
    queryFn: () => take(api.GET("/api/v1/operations", { params: { query: { device, limit: 20 } } })),
  });

/** What is cut off while a device is away, once somebody wants to know. */
export const useBehind = (name: string, wanted: boolean) =>
  useQuery({
    queryKey: ["behind", name],
    queryFn: () => take(api.GET("/api/v1/devices/{name}/behind", { params: { path: { name } } })),
    enabled: wanted,
    staleTime: 10_000,
  });

/** One of them, with what came back so far: the stream tells when there is more. */
export const useOperation = (number: number) =>
  useQuery({
    queryKey: operationKeys.one(number),
    queryFn: () => take(api.GET("/api/v1/operations/{number}", { params: { path: { number } } })),
    enabled: number > 0,
  });

export function useAsk(device: string) {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: (body: { kind: string; args: Record<string, string> }) =>
      take(api.POST("/api/v1/devices/{name}/operations", { params: { path: { name: device } }, body })),
    onSuccess: (o) => {
      qc.setQueryData(operationKeys.one(o.number), o);
      void qc.invalidateQueries({ queryKey: operationKeys.of(device) });
    },
  });
}

export function useCancelOperation() {
  return useMutation({
    mutationFn: (number: number) =>
      take(api.POST("/api/v1/operations/{number}/cancel", { params: { path: { number } } })),
  });
}

/** Asks a device for something that takes but a moment, waits for its end, and tells what came of it. */
export function useFinish(device: string) {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: async (body: { kind: string; args: Record<string, string> }) => {
      let o = await take(api.POST("/api/v1/devices/{name}/operations", { params: { path: { name: device } }, body }));
      while (o.state === "running") {
        await new Promise((r) => window.setTimeout(r, 250));
        o = await take(api.GET("/api/v1/operations/{number}", { params: { path: { number: o.number } } }));
      }
      if (o.state !== "done") throw new Error(o.why ?? `It is ${o.state}.`);
      return o.lines.map((l) => l.cells.step ?? "").join("; ");
    },
    onSuccess: () => qc.invalidateQueries({ queryKey: keys.device(device) }),
  });
}
