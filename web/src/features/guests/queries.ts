import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { api, type GuestPortalRequest, take, type VoucherOrder } from "../../api/client";
import { keys } from "../../api/queries";

const guests = ["guests"] as const;

/** Guests who came within so many days, or ask to be let in. */
export const useGuests = (days: number) =>
  useQuery({
    queryKey: [...guests, "stays", days],
    queryFn: () => take(api.GET("/api/v1/guests", { params: { query: { days } } })),
    placeholderData: keepPreviousData,
    refetchInterval: 30_000, // times run out by themselves
  });

export const usePortals = () =>
  useQuery({ queryKey: [...guests, "portals"], queryFn: () => take(api.GET("/api/v1/guest-portals")) });

export const useVouchers = (name: string) =>
  useQuery({
    queryKey: [...guests, "vouchers", name],
    queryFn: () => take(api.GET("/api/v1/guest-portals/{name}/vouchers", { params: { path: { name } } })),
    enabled: name !== "",
  });

function useAct<V, R>(f: (v: V) => Promise<R>, more: readonly (readonly string[])[] = []) {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: f,
    onSettled: () => {
      for (const key of [guests, ...more]) void qc.invalidateQueries({ queryKey: key });
    },
    onError: (e) => toast.error(e.message),
  });
}

export const useDecide = () =>
  useAct((v: { number: number; act: "let-in" | "turn-away" | "end"; minutes?: number; why?: string }) => {
    const { number, ...body } = v;
    return take(api.POST("/api/v1/guests/{number}", { params: { path: { number } }, body }));
  });

export const usePutPortal = () =>
  useAct((v: { name: string; body: GuestPortalRequest }) =>
    take(api.PUT("/api/v1/guest-portals/{name}", { params: { path: { name: v.name } }, body: v.body })),
  );

export const useRemovePortal = () =>
  useAct((name: string) => take(api.DELETE("/api/v1/guest-portals/{name}", { params: { path: { name } } })));

export const usePutPicture = () =>
  useAct((v: { name: string; picture: string }) =>
    take(
      api.PUT("/api/v1/guest-portals/{name}/picture", {
        params: { path: { name: v.name } },
        body: { picture: v.picture },
      }),
    ),
  );

export const useCarry = () =>
  useAct(
    (v: { name: string; network: string; where?: string; off?: boolean; change?: number }) => {
      const { name, ...body } = v;
      return take(api.POST("/api/v1/guest-portals/{name}/networks", { params: { path: { name } }, body }));
    },
    [keys.changes],
  );

export const useMakeVouchers = () =>
  useAct((v: { name: string; body: VoucherOrder }) =>
    take(api.POST("/api/v1/guest-portals/{name}/vouchers", { params: { path: { name: v.name } }, body: v.body })),
  );

export const useTakeVoucher = () =>
  useAct((v: { name: string; number: number }) =>
    take(api.DELETE("/api/v1/guest-portals/{name}/vouchers/{number}", { params: { path: v } })),
  );
