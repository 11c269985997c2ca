import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import {
  api,
  type CircuitRequest,
  type RadioLicence,
  type RadioLinkRequest,
  type SegmentRequest,
  type TunnelPlanRequest,
  type TunnelRemoval,
  take,
} from "../../api/client";
import { keys } from "../../api/queries";
import { useSettled } from "../../ui/settled";

/** The tunnels of the edges in the scope, as each of them measures them. */
export const usePaths = (where: string) =>
  useQuery({
    queryKey: [...keys.devices, "paths", where],
    queryFn: () => take(api.GET("/api/v1/paths", { params: { query: { where } } })),
    placeholderData: keepPreviousData,
    refetchInterval: 10_000,
  });

/** How calls over those tunnels fared in the last 24 hours. */
export const usePathStrips = (where: string) =>
  useQuery({
    queryKey: [...keys.devices, "path-strips", where],
    queryFn: () => take(api.GET("/api/v1/paths/strips", { params: { query: { where } } })),
    placeholderData: keepPreviousData,
    refetchInterval: 60_000,
  });

/** The lines of providers at the edges in the scope. */
export const useCircuits = (where: string) =>
  useQuery({
    queryKey: [...keys.devices, "circuits", where],
    queryFn: () => take(api.GET("/api/v1/circuits", { params: { query: { where } } })),
    placeholderData: keepPreviousData,
    refetchInterval: 30_000,
  });

function useAct<V, R>(f: (v: V) => Promise<R>, renews: "circuits" | "changes" | "radio-link" = "circuits") {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: f,
    // Waited for: a form that is opened again begins with what is so now.
    onSettled: () =>
      qc.invalidateQueries({ queryKey: renews === "changes" ? keys.changes : [...keys.devices, renews] }),
    onError: (e) => toast.error(e.message),
  });
}

export const usePutCircuit = () => useAct((body: CircuitRequest) => take(api.PUT("/api/v1/circuits", { body })));

export const useRemoveCircuit = () =>
  useAct((query: { device: string; port: string }) => take(api.DELETE("/api/v1/circuits", { params: { query } })));

/** The tunnels at the edges in the scope, each once with both its ends. */
export const useTunnels = (where: string) =>
  useQuery({
    queryKey: [...keys.devices, "tunnels", where],
    queryFn: () => take(api.GET("/api/v1/tunnels", { params: { query: { where } } })),
    placeholderData: keepPreviousData,
    refetchInterval: 10_000,
  });

/** Which tunnels the traffic of the edges in the scope goes over. */
export const useSteeredFlows = (where: string) =>
  useQuery({
    queryKey: [...keys.devices, "steering", where],
    queryFn: () => take(api.GET("/api/v1/steering", { params: { query: { where } } })),
    placeholderData: keepPreviousData,
    refetchInterval: 10_000,
  });

/** How an edge carries what goes to other sites, as it runs or as a draft makes it. */
export const useSteering = (name: string, draft?: number) =>
  useQuery({
    queryKey: [...keys.devices, "steering-of", name, draft ?? 0],
    queryFn: () =>
      take(
        api.GET("/api/v1/devices/{name}/steering", {
          params: { path: { name }, query: draft ? { change: draft } : {} },
        }),
      ),
    placeholderData: keepPreviousData,
    refetchInterval: 30_000,
  });

/** What who sets up the other end of a tunnel has to know. */
export const useSheet = (device: string, name: string) =>
  useQuery({
    queryKey: [...keys.devices, "tunnel-sheet", device, name],
    queryFn: () => take(api.GET("/api/v1/tunnels/sheet", { params: { query: { device, name } } })),
  });

/** Which tunnels would be made, once nobody types any more; nothing is drafted. */
export function useTriedTunnels(asked: TunnelPlanRequest, ready: boolean) {
  const settled = useSettled(JSON.stringify(asked), 400);
  return useQuery({
    queryKey: [...keys.devices, "tunnels", "tried", settled],
    queryFn: () => take(api.POST("/api/v1/tunnels", { body: { ...JSON.parse(settled), try: true } })),
    enabled: ready && settled === JSON.stringify(asked),
    placeholderData: keepPreviousData,
    retry: false,
  });
}

export const usePlanTunnels = () =>
  useAct((body: TunnelPlanRequest) => take(api.POST("/api/v1/tunnels", { body })), "changes");

export const useRemoveTunnel = () =>
  useAct((body: TunnelRemoval) => take(api.POST("/api/v1/tunnels/removed", { body })), "changes");

/** The radio links at the devices in the scope, each once with both its ends. */
export const useRadioLinks = (where: string) =>
  useQuery({
    queryKey: [...keys.devices, "radio-links", where],
    queryFn: () => take(api.GET("/api/v1/radio-links", { params: { query: { where } } })),
    placeholderData: keepPreviousData,
    refetchInterval: 10_000,
  });

/** The radio link of a device, and how it fared. */
export const useRadioLink = (name: string, period: string) =>
  useQuery({
    queryKey: [...keys.devices, "radio-link", name, period],
    queryFn: () =>
      take(api.GET("/api/v1/devices/{name}/radio-link", { params: { path: { name }, query: { period } } })),
    placeholderData: keepPreviousData,
    refetchInterval: 15_000,
  });

export const useSetRadioLink = () =>
  useAct(
    ({ device, ...body }: RadioLinkRequest & { device: string }) =>
      take(api.POST("/api/v1/devices/{name}/radio-link", { params: { path: { name: device } }, body })),
    "changes",
  );

export const usePutRadioLicence = () =>
  useAct(
    ({ device, ...body }: RadioLicence & { device: string }) =>
      take(api.PUT("/api/v1/devices/{name}/radio-link/licence", { params: { path: { name: device } }, body })),
    "radio-link",
  );

export const useRemoveRadioLicence = () =>
  useAct(
    (device: string) =>
      take(api.DELETE("/api/v1/devices/{name}/radio-link/licence", { params: { path: { name: device } } })),
    "radio-link",
  );

/** The tables of routes that edges in the scope keep apart. */
export const useSegments = (where: string) =>
  useQuery({
    queryKey: [...keys.devices, "segments", where],
    queryFn: () => take(api.GET("/api/v1/segments", { params: { query: { where } } })),
    placeholderData: keepPreviousData,
    refetchInterval: 15_000,
  });

export const useMakeSegment = () =>
  useAct((body: SegmentRequest) => take(api.POST("/api/v1/segments", { body })), "changes");

/** What devices carry untouched for customers. */
export const useServiceVLANs = () =>
  useQuery({
    queryKey: [...keys.devices, "service-vlans"],
    queryFn: () => take(api.GET("/api/v1/service-vlans")),
    refetchInterval: 15_000,
  });

/** The routers with which edges in the scope exchange routes. */
export const useRouters = (where: string) =>
  useQuery({
    queryKey: [...keys.devices, "routers", where],
    queryFn: () => take(api.GET("/api/v1/routers", { params: { query: { where } } })),
    placeholderData: keepPreviousData,
    refetchInterval: 15_000,
  });

/** The routes that devices in the scope use; to one address where one is given. */
export const useRoutes = (where: string, vrf: string, to: string) =>
  useQuery({
    queryKey: [...keys.devices, "routes", where, vrf, to],
    queryFn: () =>
      take(api.GET("/api/v1/routes", { params: { query: { where, vrf: vrf || undefined, to: to || undefined } } })),
    placeholderData: keepPreviousData,
    refetchInterval: 15_000,
    retry: false,
  });
