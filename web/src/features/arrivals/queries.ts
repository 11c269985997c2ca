import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Claim, take } from "../../api/client";
import { keys } from "../../api/queries";

export const useClaims = () => useQuery({ queryKey: keys.claims, queryFn: () => take(api.GET("/api/v1/claims")) });

function useKeeping<T, R>(f: (arg: T) => Promise<R>) {
  const qc = useQueryClient();
  return useMutation({ mutationFn: f, onSuccess: () => qc.invalidateQueries() });
}

export const useClaim = () => useKeeping((claims: Claim[]) => take(api.POST("/api/v1/claims", { body: { claims } })));

export const useDropClaim = () =>
  useKeeping((serial: string) => take(api.DELETE("/api/v1/claims/{serial}", { params: { path: { serial } } })));

export const useRename = () =>
  useKeeping(({ from, name }: { from: string; name: string }) =>
    take(api.POST("/api/v1/devices/{name}/rename", { params: { path: { name: from } }, body: { name } })),
  );
