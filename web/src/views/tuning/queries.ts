import { keepPreviousData, queryOptions, useQuery } from "@tanstack/react-query";
import { api, got, type Tuning } from "../../api/client";
import { forPurpose, usePurpose } from "../../kit/purpose";

export const tuningsQuery = (review: number) =>
  queryOptions({
    queryKey: ["tunings", review],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/tunings", { params: { path: { review } } })),
  });

export const useTunings = (review: number) => useQuery(tuningsQuery(review));

export const useTuning = (tuning: number | null) =>
  useQuery({
    queryKey: ["tuning", tuning],
    queryFn: () => got(api.GET("/api/v1/tunings/{tuning}", { params: { path: { tuning: tuning ?? 0 } } })),
    enabled: tuning !== null,
    placeholderData: keepPreviousData,
  });

export const useGoals = (review: number, setup: number) =>
  useQuery({
    queryKey: ["goals", review, setup],
    queryFn: () =>
      got(api.GET("/api/v1/reviews/{review}/setups/{setup}/goals", { params: { path: { review, setup } } })),
  });

export const useAims = (review: number, setup: number) =>
  useQuery({
    queryKey: ["goals", "aims", review, setup],
    queryFn: () =>
      got(api.GET("/api/v1/reviews/{review}/setups/{setup}/aims", { params: { path: { review, setup } } })),
  });

/** What a result is worth for the purpose that it was tuned for, else for the chosen one. */
export const useWorth = ({ id: tuning, purpose: asked }: Tuning) => {
  const judged = usePurpose();
  const purpose = asked ?? judged;
  return useQuery({
    queryKey: ["tuning", tuning, "worth", purpose],
    queryFn: () =>
      forPurpose(purpose, (purpose) =>
        got(api.GET("/api/v1/tunings/{tuning}/worth", { params: { path: { tuning }, query: { purpose } } })),
      ),
  });
};

/** Where a tuning's values were carried to, and what they are worth there. */
export const useCarried = ({ id: tuning, purpose: asked }: Tuning) => {
  const judged = usePurpose();
  const purpose = asked ?? judged;
  return useQuery({
    queryKey: ["tuning", tuning, "carried", purpose],
    queryFn: () =>
      forPurpose(purpose, (purpose) =>
        got(api.GET("/api/v1/tunings/{tuning}/carried", { params: { path: { tuning }, query: { purpose } } })),
      ),
  });
};
