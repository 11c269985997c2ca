import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { api, type JoinCodeRequest, take } from "../../api/client";
import { keys } from "../../api/queries";

/** The wireless networks of the access points in the scope. */
export const useNetworks = (where: string) =>
  useQuery({
    queryKey: [...keys.devices, "wireless", "networks", where],
    queryFn: () => take(api.GET("/api/v1/wireless/networks", { params: { query: { where } } })),
    placeholderData: keepPreviousData,
  });

/** The radios of the access points in the scope. */
export const useRadios = (where: string) =>
  useQuery({
    queryKey: [...keys.devices, "wireless", "radios", where],
    queryFn: () => take(api.GET("/api/v1/wireless/radios", { params: { query: { where } } })),
    placeholderData: keepPreviousData,
  });

/** Stations that tried to join and did not. */
export const useRefusals = (where: string, on: boolean) =>
  useQuery({
    queryKey: [...keys.devices, "wireless", "refusals", where],
    queryFn: () => take(api.GET("/api/v1/wireless/refusals", { params: { query: { where } } })),
    placeholderData: keepPreviousData,
    enabled: on,
  });

/** Stations of which devices in the scope let nothing pass. */
export const useBlocked = (where: string) =>
  useQuery({
    queryKey: [...keys.devices, "blocked", where],
    queryFn: () => take(api.GET("/api/v1/blocked-stations", { params: { query: { where } } })),
    placeholderData: keepPreviousData,
  });

export const useLimited = (where: string) =>
  useQuery({
    queryKey: [...keys.devices, "limited", where],
    queryFn: () => take(api.GET("/api/v1/limited-stations", { params: { query: { where } } })),
    placeholderData: keepPreviousData,
  });

/** How a station joins, step by step. */
export const useJoining = (mac: string) =>
  useQuery({
    queryKey: [...keys.devices, "wireless", "joining", mac],
    queryFn: () => take(api.GET("/api/v1/clients/{mac}/joining", { params: { path: { mac } } })),
    enabled: mac !== "",
  });

export const usePlan = (where: string, band: "2.4" | "5" | "6") =>
  useQuery({
    queryKey: [...keys.devices, "wireless", "plan", where, band],
    queryFn: () => take(api.GET("/api/v1/wireless/plan", { params: { query: { where, band } } })),
    staleTime: 60_000,
  });

export const useJoinCode = () =>
  useMutation({ mutationFn: (body: JoinCodeRequest) => take(api.POST("/api/v1/wireless/join-code", { body })) });
