import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type GroupRequest, take } from "../../api/client";
import { keys } from "../../api/queries";

export const useGroups = (on = true) =>
  useQuery({ queryKey: keys.groups, queryFn: () => take(api.GET("/api/v1/groups")), enabled: on });

function useKeeping<T, R>(f: (arg: T) => Promise<R>) {
  const qc = useQueryClient();
  return useMutation({ mutationFn: f, onSuccess: () => qc.invalidateQueries() });
}

export const usePutGroup = () =>
  useKeeping(({ name, body }: { name: string; body: GroupRequest }) =>
    take(api.PUT("/api/v1/groups/{name}", { params: { path: { name } }, body })),
  );

export const useDropGroup = () =>
  useKeeping((name: string) => take(api.DELETE("/api/v1/groups/{name}", { params: { path: { name } } })));

export const useChangeMembers = () =>
  useKeeping(({ name, add, remove }: { name: string; add?: string[]; remove?: string[] }) =>
    take(api.POST("/api/v1/groups/{name}/members", { params: { path: { name } }, body: { add, remove } })),
  );
