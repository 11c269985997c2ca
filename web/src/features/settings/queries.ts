import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { api, type BulkAnswer, type Person, take } from "../../api/client";
import { isDraft, keys, useChanges } from "../../api/queries";
import { useView } from "../../app/view";

/** Everything that can be set: it does not change while the page is open. */
export const useSettings = () =>
  useQuery({ queryKey: ["settings"], queryFn: () => take(api.GET("/api/v1/settings")), staleTime: Infinity });

/** The kinds of things that a device holds besides its ports. */
export const useKinds = () =>
  useQuery({
    queryKey: ["setting-kinds"],
    queryFn: () => take(api.GET("/api/v1/settings/kinds")),
    staleTime: Infinity,
  });

/** Settings that are often wanted together. */
export const useReady = () =>
  useQuery({
    queryKey: ["ready-settings"],
    queryFn: () => take(api.GET("/api/v1/settings/ready")),
    staleTime: Infinity,
  });

/** How some things stand on their settings, as after a draft, and as if some were set besides. */
export const useStanding = (on: string[], change: number | undefined, set: Record<string, string>) =>
  useQuery({
    queryKey: ["reading", "standing", on, change, set],
    queryFn: () => take(api.POST("/api/v1/settings/standing", { body: { on, change, set } })),
    placeholderData: (old) => old,
    enabled: on.length > 0,
  });

/** Puts settings of many things into a draft, or a new one. */
export function useBulk() {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: ({
      change,
      on,
      set,
      inherit,
      rows,
    }: {
      change?: number;
      on?: string[];
      set?: Record<string, string>;
      inherit?: string[];
      rows?: { on: string[]; set?: Record<string, string>; inherit?: string[] }[];
    }): Promise<BulkAnswer> =>
      take(api.POST("/api/v1/changes/bulk", { body: { change, rows: rows ?? [{ on, set, inherit }] } })),
    onSuccess: () => {
      void qc.invalidateQueries({ queryKey: keys.changes });
      void qc.invalidateQueries({ queryKey: ["reading", "standing"] });
      void qc.invalidateQueries({ queryKey: ["reading", "templates"] });
    },
    onError: (e) => toast.error(e.message),
  });
}

/** The number of the draft in which edits of a person collect: his own that is open in the tray, else his newest. */
export function useOwnDraft(me: Person): number | undefined {
  const changes = useChanges();
  const [tray] = useView("tray");
  const own = (changes.data?.items ?? []).filter((c) => isDraft(c) && c.owner === me.name);
  return (own.find((c) => String(c.number) === tray) ?? own[0])?.number;
}
