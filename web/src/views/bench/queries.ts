import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";

const benchQuery = queryOptions({
  queryKey: ["bench"],
  queryFn: () => got(api.GET("/api/v1/bench")),
  staleTime: Number.POSITIVE_INFINITY,
  refetchOnWindowFocus: false,
});

export const useBench = () => useQuery(benchQuery);

/** The clock's speed alone: who asks for no more is not drawn anew with every reading. */
export const useSpeed = () => useQuery({ ...benchQuery, select: (b) => b.speed });

export const useFree = () =>
  useQuery({ queryKey: ["free"], queryFn: () => got(api.GET("/api/v1/free")), staleTime: Number.POSITIVE_INFINITY });
