import { keepPreviousData, useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take } from "../../api/client";
import { keys } from "../../api/queries";

/** What is kept of the devices in the scope, the newest first, page by page. */
export const useBackups = (where: string, device: string, last: boolean) =>
  useInfiniteQuery({
    queryKey: ["backups", "list", where, device, last],
    queryFn: ({ pageParam }) =>
      take(api.GET("/api/v1/backups", { params: { query: { where, device, last, cursor: pageParam, limit: 200 } } })),
    initialPageParam: 0,
    getNextPageParam: (page) => Number(page.next) || undefined,
    placeholderData: keepPreviousData,
  });

export const useBackup = (number: number) =>
  useQuery({
    queryKey: ["backups", "one", number],
    queryFn: () => take(api.GET("/api/v1/backups/{number}", { params: { path: { number } } })),
    enabled: number > 0,
  });

/** What differs between a backup and another one, or what its device runs now where that is 0. */
export const useComparison = (number: number, other: number, on: boolean) =>
  useQuery({
    queryKey: ["backups", "comparison", number, other],
    queryFn: () =>
      take(api.GET("/api/v1/backups/{number}/comparison", { params: { path: { number }, query: { with: other } } })),
    enabled: number > 0 && on,
  });

/** The lines that hold a text. */
export const useBackupSearch = (text: string, where: string, all: boolean) =>
  useQuery({
    queryKey: ["backups", "search", text, where, all],
    queryFn: () => take(api.GET("/api/v1/backups/search", { params: { query: { text, where, all } } })),
    enabled: text.length > 1,
    placeholderData: keepPreviousData,
  });

export const useBackupRule = (on: boolean) =>
  useQuery({ queryKey: ["backups", "rule"], queryFn: () => take(api.GET("/api/v1/backups/rule")), enabled: on });

export function usePutBackupRule() {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: (body: { days: number; least: number }) => take(api.PUT("/api/v1/backups/rule", { body })),
    onSuccess: (r) => qc.setQueryData(["backups", "rule"], r),
  });
}

export function usePin() {
  const qc = useQueryClient();
  return useMutation({
    scope: { id: "pin" }, // one after another: the last word is what stays
    mutationFn: ({ number, ...body }: { number: number; pinned: boolean; note?: string }) =>
      take(api.PUT("/api/v1/backups/{number}/pin", { params: { path: { number } }, body })),
    onSuccess: () => qc.invalidateQueries({ queryKey: ["backups"] }),
  });
}

/** Makes a draft that brings a device to what a backup holds. */
export function useRestoreBackup() {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: ({ number, ...body }: { number: number; onto?: string; part?: "whole" | "policies" }) =>
      take(api.POST("/api/v1/backups/{number}/restore", { params: { path: { number } }, body })),
    onSuccess: () => qc.invalidateQueries({ queryKey: keys.changes }),
  });
}
