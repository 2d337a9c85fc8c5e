import { keepPreviousData, queryOptions, useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";

export const menuQuery = (review: number, unit: number | null) =>
  queryOptions({
    queryKey: ["menu", review, unit],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/menu", { params: { path: { review }, query: { unit } } })),
  });

export const useMenu = (review: number, unit: number | null) =>
  useQuery({ ...menuQuery(review, unit), placeholderData: keepPreviousData });

export const useMenus = () => useQuery({ queryKey: ["menu", "known"], queryFn: () => got(api.GET("/api/v1/menus")) });

export const useMenuHistory = (review: number, unit: number) =>
  useQuery({
    queryKey: ["menu", review, unit, "history"],
    queryFn: () =>
      got(api.GET("/api/v1/reviews/{review}/menu/history", { params: { path: { review }, query: { unit } } })),
  });

/** What experiments found out, by control. */
export const useFindings = (review: number, unit: number | null) =>
  useQuery({
    queryKey: ["findings", review, unit],
    queryFn: () =>
      got(api.GET("/api/v1/reviews/{review}/menu/findings", { params: { path: { review }, query: { unit } } })),
  });
