import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";

export const recipeQuery = (review: number, setup: number) =>
  queryOptions({
    queryKey: ["recipe", review, setup],
    queryFn: () =>
      got(api.GET("/api/v1/reviews/{review}/setups/{setup}/recipe", { params: { path: { review, setup } } })),
  });

export const useRecipe = (review: number, setup: number) => useQuery(recipeQuery(review, setup));
