import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type AlarmAct, api, take } from "../../api/client";

/** What is out of order in the scope, the worst first; or what was, the newest first. */
export const useAlarms = (where: string, over: boolean, device?: string, on = true) =>
  useQuery({
    queryKey: ["alarms", where, over, device ?? ""],
    queryFn: () => take(api.GET("/api/v1/alarms", { params: { query: { where, over, device, limit: 200 } } })),
    placeholderData: (old) => old,
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
