import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";

export function useLook(review: number, setup: number, target: string | null, factor: number) {
  return useQuery({
    queryKey: ["look", review, setup, target, factor],
    queryFn: () =>
      got(
        api.GET("/api/v1/reviews/{review}/look/{setup}", {
          params: { path: { review, setup }, query: { factor, target } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}
