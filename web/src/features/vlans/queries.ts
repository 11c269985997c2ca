import { useQuery } from "@tanstack/react-query";
import { api, take } from "../../api/client";

/** The VLANs of the network, on the devices that a selector picks. */
export const useVLANs = (where: string) =>
  useQuery({
    queryKey: ["reading", "vlans", where],
    queryFn: () => take(api.GET("/api/v1/vlans", { params: { query: { where } } })),
    placeholderData: (old) => old,
  });

/** One VLAN, and where it is. */
export const useVLAN = (id: number) =>
  useQuery({
    queryKey: ["reading", "vlan", id],
    queryFn: () => take(api.GET("/api/v1/vlans/{vlan}", { params: { path: { vlan: id } } })),
    placeholderData: (old) => (old?.id === id ? old : undefined),
    enabled: id > 0,
  });

/** The names of all devices, to be offered. */
export const useDeviceNames = () =>
  useQuery({
    queryKey: ["reading", "device-names"],
    queryFn: () => take(api.GET("/api/v1/devices", { params: { query: { fields: "name", limit: 10000 } } })),
  });
