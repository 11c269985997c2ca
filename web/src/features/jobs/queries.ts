import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type JobRequest, type JobRun, take } from "../../api/client";

/** What jobs can do: it does not change while the page is open. */
export const useJobKinds = () =>
  useQuery({ queryKey: ["job-kinds"], queryFn: () => take(api.GET("/api/v1/jobs/kinds")), staleTime: Infinity });

/** Jobs, what is still to be done first. The stream tells when one is other than it was. */
export const useJobs = () => useQuery({ queryKey: ["jobs", "list"], queryFn: () => take(api.GET("/api/v1/jobs")) });

export const through = (counts: JobRun["counts"]) =>
  Object.entries(counts).reduce((n, [state, of]) => (state === "waiting" || state === "running" ? n : n + of), 0);
export const allOf = (counts: JobRun["counts"]) => Object.values(counts).reduce((n, of) => n + of, 0);

/** How far a run is: 3 of 12. */
export const farOf = (counts: JobRun["counts"]) => `${through(counts)} of ${allOf(counts)}`;

export const useJob = (number: number) =>
  useQuery({
    queryKey: ["jobs", "one", number],
    queryFn: () => take(api.GET("/api/v1/jobs/{number}", { params: { path: { number } } })),
    enabled: number > 0,
  });

/** When a job was done, the newest first. */
export const useJobRuns = (job: number) =>
  useQuery({
    queryKey: ["jobs", "runs", job],
    queryFn: () => take(api.GET("/api/v1/job-runs", { params: { query: { job, limit: 50 } } })),
    enabled: job > 0,
  });

/** A run with its steps. */
export const useJobRun = (number: number) =>
  useQuery({
    queryKey: ["jobs", "run", number],
    queryFn: () => take(api.GET("/api/v1/job-runs/{number}", { params: { path: { number } } })),
    enabled: number > 0,
  });

/** What a job would do now. */
export const useJobPlan = (kind: string, where: string, args: Record<string, string>, on: boolean) =>
  useQuery({
    queryKey: ["jobs", "plan", kind, where, args],
    queryFn: () =>
      take(
        api.POST("/api/v1/jobs/plan", { body: { kind: kind as JobRequest["kind"], where: where || undefined, args } }),
      ),
    enabled: on,
    retry: false,
  });

/** Has all that is shown of jobs read anew after something was done to one. */
function useRenew() {
  const qc = useQueryClient();
  return () => qc.invalidateQueries({ queryKey: ["jobs"] });
}

export function useMakeJob() {
  const renew = useRenew();
  return useMutation({ mutationFn: (body: JobRequest) => take(api.POST("/api/v1/jobs", { body })), onSuccess: renew });
}

export function useActOnJob() {
  const renew = useRenew();
  return useMutation({
    mutationFn: ({ number, act }: { number: number; act: "begin" | "hold" | "release" }) =>
      take(api.POST("/api/v1/jobs/{number}/acts", { params: { path: { number } }, body: { act } })),
    onSuccess: renew,
  });
}

export function useActOnRun() {
  const renew = useRenew();
  return useMutation({
    mutationFn: ({ number, act }: { number: number; act: "pause" | "resume" | "cancel" | "retry" }) =>
      take(api.POST("/api/v1/job-runs/{number}/acts", { params: { path: { number } }, body: { act } })),
    onSuccess: renew,
  });
}

export function useRemoveJob() {
  const renew = useRenew();
  return useMutation({
    mutationFn: (number: number) => take(api.DELETE("/api/v1/jobs/{number}", { params: { path: { number } } })),
    onSuccess: renew,
  });
}
