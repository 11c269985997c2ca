import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { api, take } from "../../api/client";
import { keys } from "../../api/queries";

const asDraft = (change?: number) => ({ query: change ? { change } : {} });

/** The templates, the weakest first, as a draft would make them. */
export const useTemplates = (change?: number) =>
  useQuery({
    queryKey: ["reading", "templates", change],
    queryFn: () => take(api.GET("/api/v1/templates", { params: asDraft(change) })),
    placeholderData: (old) => old,
  });

/** A template with what it picks. */
export const useTemplate = (name: string, change?: number) =>
  useQuery({
    queryKey: ["reading", "templates", change, name],
    queryFn: () => take(api.GET("/api/v1/templates/{name}", { params: { path: { name }, ...asDraft(change) } })),
    enabled: name !== "",
    retry: false,
    placeholderData: (old) => (old?.name === name ? old : undefined),
  });

/** What is said for all devices of a site. */
export const useSiteLayer = (name: string) =>
  useQuery({
    queryKey: ["reading", "site-layer", name],
    queryFn: () => take(api.GET("/api/v1/sites/{name}/layer", { params: { path: { name } } })),
  });

/** What devices run other than intended. */
export const useDrift = () =>
  useQuery({ queryKey: ["reading", "drift"], queryFn: () => take(api.GET("/api/v1/drift")) });

function useDone<T, R>(f: (arg: T) => Promise<R>) {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: f,
    onSuccess: () => {
      void qc.invalidateQueries({ queryKey: ["reading"] });
      void qc.invalidateQueries({ queryKey: keys.changes });
      void qc.invalidateQueries({ queryKey: ["device"] });
    },
    onError: (e) => toast.error(e.message),
  });
}

/** Takes what a device runs as what is intended: all of it, or one object. */
export const useAcceptDrift = () =>
  useDone(({ device, objects }: { device: string; objects?: string[] }) =>
    take(api.POST("/api/v1/devices/{name}/drift/accept", { params: { path: { name: device } }, body: { objects } })),
  );

/** Makes a draft that has devices run what is intended again. */
export const useRestoreDrift = () =>
  useDone(({ on, change }: { on: string[]; change?: number }) =>
    take(api.POST("/api/v1/changes/restore", { body: { on, change } })),
  );

/** Sets who changes a device. */
export const useControl = () =>
  useDone(({ device, control }: { device: string; control: "here" | "watched" | "local" }) =>
    take(api.PUT("/api/v1/devices/{name}/control", { params: { path: { name: device } }, body: { control } })),
  );

/** Puts the settings of a device into a draft for others. */
export const useCopySettings = () =>
  useDone(({ from, where, parts, change }: { from: string; where: string; parts: Part[]; change?: number }) =>
    take(api.POST("/api/v1/changes/copy", { body: { from, where, parts, change } })),
  );

export type Part = "device" | "vlans" | "ports" | "lists" | "sign-in";
