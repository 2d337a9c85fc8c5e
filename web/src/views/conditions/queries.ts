import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";

/** Which controls can be tried in which light. */
export const useConditionChoices = (review: number, setup: number) =>
  useQuery({
    queryKey: ["menu", "conditions", review, setup],
    queryFn: () =>
      got(api.GET("/api/v1/reviews/{review}/setups/{setup}/conditions", { params: { path: { review, setup } } })),
  });

/** What the states of an experiment show, asked for anew with each step that was read. */
export const useConditions = (experiment: number | null, read: number) =>
  useQuery({
    queryKey: ["conditions", experiment, read],
    queryFn: () =>
      got(
        api.GET("/api/v1/experiments/{experiment}/conditions", { params: { path: { experiment: experiment ?? 0 } } }),
      ),
    enabled: experiment !== null,
    placeholderData: keepPreviousData,
  });
