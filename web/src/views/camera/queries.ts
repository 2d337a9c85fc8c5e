import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";

export const cameraQuery = (review: number) =>
  queryOptions({
    queryKey: ["camera", review],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/camera", { params: { path: { review } } })),
  });

export const useCamera = (review: number) => useQuery(cameraQuery(review));
