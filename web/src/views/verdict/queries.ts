import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";

export const verdictQuery = (review: number) =>
  queryOptions({
    queryKey: ["verdict", review],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/verdict", { params: { path: { review } } })),
  });

export const useVerdict = (review: number) => useQuery(verdictQuery(review));

export const useFindings = (review: number) =>
  useQuery({
    queryKey: ["verdict", review, "findings"],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/findings", { params: { path: { review } } })),
  });

/** What another firmware changed; what is measured changes it as it does the verdict. */
export const useFirmwareChanges = (review: number) =>
  useQuery({
    queryKey: ["verdict", review, "firmware"],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/firmware", { params: { path: { review } } })),
  });

export const editionsQuery = (review: number) =>
  queryOptions({
    queryKey: ["editions", review],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/editions", { params: { path: { review } } })),
  });

export const useEditions = (review: number) => useQuery(editionsQuery(review));
