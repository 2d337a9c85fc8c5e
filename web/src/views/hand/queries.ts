import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";

export const sheetQuery = (run: number) =>
  queryOptions({
    queryKey: ["sheet", run],
    queryFn: () => got(api.GET("/api/v1/runs/{run}/sheet", { params: { path: { run } } })),
  });

export const useSheet = (run: number) => useQuery(sheetQuery(run));
