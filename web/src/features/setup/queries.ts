import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type SetupRequest, take } from "../../api/client";
import { keys } from "../../api/queries";

/** What a set-up would come to. */
export const useSetupShown = (request: SetupRequest, enabled: boolean) =>
  useQuery({
    queryKey: ["reading", "setup", request],
    queryFn: () => take(api.POST("/api/v1/changes/setup", { body: { ...request, dry_run: true } })),
    enabled,
    placeholderData: (old) => old,
    retry: false,
  });

/** Puts a set-up into a draft. */
export function useSetUp() {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: (request: SetupRequest) => take(api.POST("/api/v1/changes/setup", { body: request })),
    onSuccess: () => qc.invalidateQueries({ queryKey: keys.changes }),
  });
}
