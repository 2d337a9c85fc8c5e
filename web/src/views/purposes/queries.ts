import { keepPreviousData, queryOptions, useQuery } from "@tanstack/react-query";
import { api, got, type Sent } from "../../api/client";

export const purposesQuery = queryOptions({
  queryKey: ["purposes"],
  queryFn: () => got(api.GET("/api/v1/purposes")),
});

export const usePurposes = () => useQuery(purposesQuery);

/** How a review's setups would score for a purpose as it is being written. */
export const useScores = (review: number | null, body: Sent<"NewPurpose"> | null) =>
  useQuery({
    queryKey: ["scores", review, body],
    queryFn: () =>
      got(
        api.POST("/api/v1/reviews/{review}/scores", {
          params: { path: { review: review ?? 0 } },
          body: body as Sent<"NewPurpose">,
        }),
      ),
    enabled: review !== null && body !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });
