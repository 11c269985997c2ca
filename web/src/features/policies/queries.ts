import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type PromiseRequest, type ReachRequest, take } from "../../api/client";
import { keys } from "../../api/queries";

/** The firewalls in the scope with what they let pass. */
export const usePolicies = (where: string) =>
  useQuery({
    queryKey: [...keys.devices, "policies", where],
    queryFn: () => take(api.GET("/api/v1/policies", { params: { query: { where } } })),
    placeholderData: keepPreviousData,
  });

/** What one firewall lets pass. */
export const usePolicy = (name: string) =>
  useQuery({
    queryKey: [...keys.device(name), "policy"],
    queryFn: () => take(api.GET("/api/v1/devices/{name}/policy", { params: { path: { name } } })),
    enabled: name !== "",
  });

/** The sessions of a firewall, read again every few seconds while somebody looks. */
export const useFirewallSessions = (name: string, source: string, destination: string, port: number, rule: number) =>
  useQuery({
    queryKey: [...keys.device(name), "sessions", source, destination, port, rule],
    queryFn: () =>
      take(
        api.GET("/api/v1/devices/{name}/sessions", {
          params: {
            path: { name },
            query: {
              source: source || undefined,
              destination: destination || undefined,
              port: port || undefined,
              rule: rule || undefined,
            },
          },
        }),
      ),
    refetchInterval: 5000,
    placeholderData: keepPreviousData,
    enabled: name !== "",
  });

/** Which applications were used, added up. */
export const useApplications = (
  where: string,
  by: "application" | "site" | "network" | "client" | "wireless",
  application: string,
  hours: number,
) =>
  useQuery({
    queryKey: ["applications", where, by, application, hours],
    queryFn: () =>
      take(
        api.GET("/api/v1/applications", {
          params: { query: { where: where || undefined, by, application: application || undefined, hours } },
        }),
      ),
    refetchInterval: 30_000,
    placeholderData: keepPreviousData,
  });

/** What a change lets firewalls pass, and stop. It is worked out anew where the change has become another. */
export const useChangePolicy = (number: number, as: string, on: boolean) =>
  useQuery({
    queryKey: [...keys.changes, "policy", number, as],
    queryFn: () => take(api.GET("/api/v1/changes/{number}/policy", { params: { path: { number } } })),
    enabled: on,
    placeholderData: keepPreviousData,
  });

/** Whether one end reaches another by a service. */
export const useReach = () =>
  useMutation({ mutationFn: (body: ReachRequest) => take(api.POST("/api/v1/reach", { body })) });

const promised = ["alarms", "promises"];

/** What is promised, and how it stands. */
export const usePromises = () => useQuery({ queryKey: promised, queryFn: () => take(api.GET("/api/v1/promises")) });

export function usePutPromise() {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: ({ name, body }: { name: string; body: PromiseRequest }) =>
      take(api.PUT("/api/v1/promises/{name}", { params: { path: { name } }, body })),
    onSuccess: () => qc.invalidateQueries({ queryKey: promised }),
  });
}

export function useRemovePromise() {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: (name: string) => take(api.DELETE("/api/v1/promises/{name}", { params: { path: { name } } })),
    onSuccess: () => qc.invalidateQueries({ queryKey: promised }),
  });
}

/** How a promise would stand; nothing is kept. */
export const useTryPromise = () =>
  useMutation({ mutationFn: (body: PromiseRequest) => take(api.POST("/api/v1/promises/try", { body })) });
