import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type AlarmAct, api, take } from "../../api/client";

/** What is out of order in the scope, the worst first. */
export const useAlarms = (where: string, device?: string, on = true) =>
  useQuery({
    queryKey: ["alarms", where, device ?? ""],
    queryFn: () => take(api.GET("/api/v1/alarms", { params: { query: { where, device, limit: 200 } } })),
    placeholderData: (old) => old,
    enabled: on,
  });

/** What was out of order in the scope, the newest first, page by page. */
export const useAlarmsOver = (where: string, on: boolean) =>
  useInfiniteQuery({
    queryKey: ["alarms", "over", where],
    queryFn: ({ pageParam: cursor }) =>
      take(api.GET("/api/v1/alarms", { params: { query: { where, over: true, limit: 200, cursor } } })),
    initialPageParam: 0,
    getNextPageParam: (page) => (page.next ? Number(page.next) : undefined),
    enabled: on,
  });

export const useAlarm = (number: number) =>
  useQuery({
    queryKey: ["alarms", "one", number],
    queryFn: () => take(api.GET("/api/v1/alarms/{number}", { params: { path: { number } } })),
    enabled: number > 0,
  });

export const useAlarmCounts = (on: boolean) =>
  useQuery({
    queryKey: ["alarms", "counts"],
    queryFn: () => take(api.GET("/api/v1/alarms/counts")),
    enabled: on,
  });

export function useActOnAlarm() {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: ({ number, ...body }: AlarmAct & { number: number }) =>
      take(api.POST("/api/v1/alarms/{number}/acts", { params: { path: { number } }, body })),
    onSuccess: (a) => {
      qc.setQueryData(["alarms", "one", a.number], a);
      void qc.invalidateQueries({ queryKey: ["alarms"] });
    },
  });
}
