import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, got } from "../api/client";

export const formsQuery = queryOptions({
  queryKey: ["forms"],
  queryFn: () => got(api.GET("/api/v1/forms")),
  staleTime: Number.POSITIVE_INFINITY,
});

export const useForms = () => useQuery(formsQuery);
