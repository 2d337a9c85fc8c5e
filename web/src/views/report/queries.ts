import { queryOptions } from "@tanstack/react-query";
import { api, got } from "../../api/client";

export const reportQuery = (review: number) =>
  queryOptions({
    queryKey: ["report", review],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/report", { params: { path: { review } } })),
    // Settings, notes, tunings and targets change it from many places, so each visit asks again; the server has it ready.
    staleTime: 0,
    refetchOnWindowFocus: false,
  });

/** The figures that a claim can be about. */
export const claimableQuery = queryOptions({
  queryKey: ["claims"],
  queryFn: () => got(api.GET("/api/v1/claims")),
  staleTime: Number.POSITIVE_INFINITY,
});
