import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, upload } from "../../api/client";

/** What the devices in the scope run, and how it stands towards the baseline. */
export const useDeviceFirmware = (where: string, miss: boolean) =>
  useQuery({
    queryKey: ["firmware", "devices", where, miss],
    queryFn: () => take(api.GET("/api/v1/firmware/devices", { params: { query: { where, miss } } })),
    placeholderData: (old) => old,
    refetchInterval: 10_000, // what a device runs comes with no event of its own
  });

export const useImages = () =>
  useQuery({ queryKey: ["firmware", "images"], queryFn: () => take(api.GET("/api/v1/firmware/images")) });

export const useBaseline = () =>
  useQuery({ queryKey: ["firmware", "baseline"], queryFn: () => take(api.GET("/api/v1/firmware/baseline")) });

function useRenew() {
  const qc = useQueryClient();
  return () => qc.invalidateQueries({ queryKey: ["firmware"] });
}

/** Sends the file of an image, and tells how far it is. */
export function useAddImage(far: (part: number) => void) {
  const renew = useRenew();
  return useMutation({
    mutationFn: (file: File) => upload("POST", "/api/v1/firmware/images", file, far),
    onSettled: () => far(0),
    onSuccess: renew,
  });
}

export function useActOnImage() {
  const renew = useRenew();
  return useMutation({
    mutationFn: ({ number, ...body }: { number: number; act: "approve" | "withdraw"; trust?: boolean }) =>
      take(api.POST("/api/v1/firmware/images/{number}/acts", { params: { path: { number } }, body })),
    onSuccess: renew,
  });
}

export function useRemoveImage() {
  const renew = useRenew();
  return useMutation({
    mutationFn: (number: number) =>
      take(api.DELETE("/api/v1/firmware/images/{number}", { params: { path: { number } } })),
    onSuccess: renew,
  });
}

/** Says which image a model is to run; with 0 it may run what it runs. */
export function usePutBaseline() {
  const renew = useRenew();
  return useMutation({
    mutationFn: async ({ maker, model, image }: { maker: string; model: string; image: number }) => {
      const params = { path: { maker, model } };
      if (image) await take(api.PUT("/api/v1/firmware/baseline/{maker}/{model}", { params, body: { image } }));
      else await take(api.DELETE("/api/v1/firmware/baseline/{maker}/{model}", { params }));
    },
    onSuccess: renew,
  });
}
