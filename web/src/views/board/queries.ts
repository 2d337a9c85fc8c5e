import { keepPreviousData, queryOptions, useQuery } from "@tanstack/react-query";
import { api, type Board, type CellChoice, got } from "../../api/client";
import type { components } from "../../api/schema";
import { forPurpose, purposeNow, usePurpose } from "../../kit/purpose";

export const boardQuery = (review: number, purpose = purposeNow()) =>
  queryOptions({
    queryKey: ["board", review, purpose],
    queryFn: () =>
      forPurpose(purpose, (purpose) =>
        got(api.GET("/api/v1/reviews/{review}/board", { params: { path: { review }, query: { purpose } } })),
      ),
    // While its setups are scored for another purpose, the Board stays as it is.
    placeholderData: (before: Board | undefined) => (before?.review.id === review ? before : undefined),
  });

export const useBoard = (review: number) => useQuery(boardQuery(review, usePurpose()));

/** The review that a Board is of, for who asks for no more. */
export const useReviewOf = (review: number) =>
  useQuery({ ...boardQuery(review, usePurpose()), select: (board) => board.review });

export type RunOptions = components["schemas"]["Options"];

export function usePlan(
  review: number,
  cells: CellChoice[],
  options: RunOptions,
  speed: number | undefined,
  named_meter: number | null,
) {
  return useQuery({
    queryKey: ["plan", review, speed, options, cells, named_meter],
    queryFn: () => got(api.POST("/api/v1/plan", { body: { review, cells, options, named_meter } })),
    enabled: cells.length > 0,
    placeholderData: keepPreviousData,
  });
}

export const useSetup = (review: number, setup: number) =>
  useQuery({
    queryKey: ["setup", review, setup],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/setups/{setup}", { params: { path: { review, setup } } })),
  });

export const useHistory = (review: number, setup: number) =>
  useQuery({
    queryKey: ["history", review, setup],
    queryFn: () =>
      got(api.GET("/api/v1/reviews/{review}/setups/{setup}/history", { params: { path: { review, setup } } })),
  });

export const useRecall = (review: number, setup: number) =>
  useQuery({
    queryKey: ["recall", review, setup],
    queryFn: () =>
      got(api.GET("/api/v1/reviews/{review}/setups/{setup}/recall", { params: { path: { review, setup } } })),
  });

/** The formats that readings can be saved in. */
export const useFormats = () =>
  useQuery({
    queryKey: ["formats"],
    queryFn: () => got(api.GET("/api/v1/formats")),
    staleTime: Number.POSITIVE_INFINITY,
  });
