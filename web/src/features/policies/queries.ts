import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { api, type ReachRequest, take } from "../../api/client";
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
