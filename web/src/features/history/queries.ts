import { useQuery } from "@tanstack/react-query";
import { api, type History, take } from "../../api/client";
import type { Range } from "./range";

export type Part = "device" | "port" | "tunnel" | "radio" | "radio-link" | "module";

/** What is shown up to now goes on as long as it is looked at: a reading is kept every half minute. */
const refresh = (range: Range) => (range.picked ? false : 30_000);

export const useHistory = (device: string, part: Part, of: string[], metric: string, range: Range, on = true) =>
  useQuery({
    queryKey: ["history", device, part, of, metric, range.query],
    queryFn: () =>
      take(
        api.GET("/api/v1/devices/{name}/history", {
          params: { path: { name: device }, query: { part, of: of.length ? of : undefined, metric, ...range.query } },
        }),
      ),
    placeholderData: (old) => old,
    refetchInterval: refresh(range),
    enabled: on,
  });

export const useClientHistory = (mac: string, range: Range) =>
  useQuery({
    queryKey: ["client-history", mac, range.query],
    queryFn: () =>
      take(api.GET("/api/v1/clients/{mac}/history", { params: { path: { mac }, query: { ...range.query } } })),
    placeholderData: (old) => old,
    refetchInterval: refresh(range),
  });

export const useTotal = (where: string, metric: string, range: Range) =>
  useQuery({
    queryKey: ["history-total", where, metric, range.query],
    queryFn: () =>
      take(api.GET("/api/v1/history/total", { params: { query: { where, metric, points: 120, ...range.query } } })),
    placeholderData: (old) => old,
    refetchInterval: refresh(range),
  });

export const useLinkUse = (where: string, limit: number, range: Range) =>
  useQuery({
    queryKey: ["link-use", where, limit, range.query],
    queryFn: () => take(api.GET("/api/v1/links/use", { params: { query: { where, limit, ...range.query } } })),
    placeholderData: (old) => old,
    refetchInterval: refresh(range),
  });

/** The begin of a history in seconds since 1970. */
export const beginOf = (h: History) => Date.parse(h.from) / 1000;

/** How sites or devices fared in the last 24 hours. */
export const useStrips = (by: "site" | "device" | "port", where: string, on = true) =>
  useQuery({
    queryKey: ["alarms", "strips", by, where],
    queryFn: () => take(api.GET("/api/v1/alarms/strips", { params: { query: { by, where } } })),
    placeholderData: (old) => old,
    enabled: on,
  });

/** What ranks highest by a reading, written part.reading. */
export const useTop = (
  where: string,
  reading: string,
  order: "mean" | "peak" | "least",
  limit: number,
  range: Range,
  on = true,
) => {
  const [part = "", metric = ""] = reading.split(".");
  return useQuery({
    queryKey: ["history", "top", where, reading, order, limit, range.query],
    queryFn: () =>
      take(
        api.GET("/api/v1/history/top", {
          params: { query: { where, part: part as "device", metric, order, limit, ...range.query } },
        }),
      ),
    placeholderData: (old) => old,
    enabled: on,
  });
};

/** How much went through a port. */
export const useVolumes = (device: string, port: string, by: "hour" | "day" | "month", period: string) =>
  useQuery({
    queryKey: ["history", "volumes", device, port, by, period],
    queryFn: () =>
      take(
        api.GET("/api/v1/devices/{name}/volumes", {
          params: {
            path: { name: device },
            query: { port, by, period, zone: Intl.DateTimeFormat().resolvedOptions().timeZone || "UTC" },
          },
        }),
      ),
  });

/** Where a client is, and the way from it to where its site is entered. */
export const useClientWay = (mac: string) =>
  useQuery({
    queryKey: ["clients", "way", mac],
    queryFn: () => take(api.GET("/api/v1/clients/{mac}/way", { params: { path: { mac } } })),
  });
