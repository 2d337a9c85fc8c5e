import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";

export const shelfQuery = queryOptions({ queryKey: ["shelf"], queryFn: () => got(api.GET("/api/v1/reviews")) });

export const useShelf = () => useQuery(shelfQuery);

export const useShipped = () =>
  useQuery({
    queryKey: ["units"],
    queryFn: () => got(api.GET("/api/v1/units")),
    staleTime: Number.POSITIVE_INFINITY,
  });
