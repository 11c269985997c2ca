import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { api, type CircuitRequest, take } from "../../api/client";
import { keys } from "../../api/queries";

/** The tunnels of the edges in the scope, as each of them measures them. */
export const usePaths = (where: string) =>
  useQuery({
    queryKey: [...keys.devices, "paths", where],
    queryFn: () => take(api.GET("/api/v1/paths", { params: { query: { where } } })),
    placeholderData: keepPreviousData,
    refetchInterval: 10_000,
  });

/** The lines of providers at the edges in the scope. */
export const useCircuits = (where: string) =>
  useQuery({
    queryKey: [...keys.devices, "circuits", where],
    queryFn: () => take(api.GET("/api/v1/circuits", { params: { query: { where } } })),
    placeholderData: keepPreviousData,
    refetchInterval: 30_000,
  });

function useAct<V, R>(f: (v: V) => Promise<R>) {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: f,
    onSettled: () => void qc.invalidateQueries({ queryKey: [...keys.devices, "circuits"] }),
    onError: (e) => toast.error(e.message),
  });
}

export const usePutCircuit = () => useAct((body: CircuitRequest) => take(api.PUT("/api/v1/circuits", { body })));

export const useRemoveCircuit = () =>
  useAct((query: { device: string; port: string }) => take(api.DELETE("/api/v1/circuits", { params: { query } })));
