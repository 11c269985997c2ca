import { useQuery } from "@tanstack/react-query";
import { api, take } from "../../api/client";
import { keys } from "../../api/queries";

export const useMap = (where: string, vlan: number) =>
  useQuery({
    queryKey: [...keys.map, where, vlan],
    queryFn: () => take(api.GET("/api/v1/map", { params: { query: { where, vlan } } })),
    placeholderData: (old) => old,
  });
