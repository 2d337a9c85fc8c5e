import { keepPreviousData, queryOptions, useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";

export const comparableQuery = queryOptions({
  queryKey: ["compare", "setups"],
  queryFn: () => got(api.GET("/api/v1/compare/setups")),
});

export const useComparable = () => useQuery(comparableQuery);

export function useComparison(setups: number[], target: string | null) {
  return useQuery({
    queryKey: ["compare", setups, target],
    queryFn: () => got(api.GET("/api/v1/compare", { params: { query: { setup: setups, target } } })),
    enabled: setups.length > 0,
    placeholderData: keepPreviousData,
  });
}
