import { keepPreviousData, queryOptions, useQuery } from "@tanstack/react-query";
import { api, got, type Sent } from "../../api/client";

export const experimentsQuery = (review: number) =>
  queryOptions({
    queryKey: ["experiments", review],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/experiments", { params: { path: { review } } })),
  });

export const useExperiments = (review: number) => useQuery(experimentsQuery(review));

export const useExperiment = (experiment: number | null) =>
  useQuery({
    queryKey: ["experiment", experiment],
    queryFn: () =>
      got(api.GET("/api/v1/experiments/{experiment}", { params: { path: { experiment: experiment ?? 0 } } })),
    enabled: experiment !== null,
    placeholderData: keepPreviousData,
  });

export const useQuestions = (review: number, setup: number) =>
  useQuery({
    queryKey: ["menu", "questions", review, setup],
    queryFn: () =>
      got(api.GET("/api/v1/reviews/{review}/setups/{setup}/questions", { params: { path: { review, setup } } })),
  });

/** What answering a question would take, or why it cannot be asked. */
export const useExperimentCost = (review: number, body: Sent<"NewExperiment"> | null) =>
  useQuery({
    queryKey: ["menu", "cost", review, body],
    queryFn: () =>
      got(
        api.POST("/api/v1/reviews/{review}/experiment-cost", {
          params: { path: { review } },
          body: body as Sent<"NewExperiment">,
        }),
      ),
    enabled: body !== null,
    retry: false,
  });
