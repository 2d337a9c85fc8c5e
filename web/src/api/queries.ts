import { keepPreviousData, queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type CellChoice, got } from "./client";
import type { components } from "./schema";

export const useShelf = () => useQuery({ queryKey: ["shelf"], queryFn: () => got(api.GET("/api/v1/reviews")) });
export const useShipped = () =>
  useQuery({
    queryKey: ["units"],
    queryFn: () => got(api.GET("/api/v1/units")),
    staleTime: Number.POSITIVE_INFINITY,
  });
export const useMenu = (review: number, unit: number | null) =>
  useQuery({
    queryKey: ["menu", review, unit],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/menu", { params: { path: { review }, query: { unit } } })),
    placeholderData: keepPreviousData,
  });
export const useMenus = () => useQuery({ queryKey: ["menu", "known"], queryFn: () => got(api.GET("/api/v1/menus")) });
export const useMenuHistory = (review: number, unit: number) =>
  useQuery({
    queryKey: ["menu", review, unit, "history"],
    queryFn: () =>
      got(api.GET("/api/v1/reviews/{review}/menu/history", { params: { path: { review }, query: { unit } } })),
  });
export const useSheet = (run: number) =>
  useQuery({
    queryKey: ["sheet", run],
    queryFn: () => got(api.GET("/api/v1/runs/{run}/sheet", { params: { path: { run } } })),
  });
export const useForms = () =>
  useQuery({
    queryKey: ["forms"],
    queryFn: () => got(api.GET("/api/v1/forms")),
    staleTime: Number.POSITIVE_INFINITY,
  });
export const useBoard = (review: number) =>
  useQuery({
    queryKey: ["board", review],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/board", { params: { path: { review } } })),
  });
export const useVerdict = (review: number) =>
  useQuery({
    queryKey: ["verdict", review],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/verdict", { params: { path: { review } } })),
  });
export const useEditions = (review: number) =>
  useQuery({
    queryKey: ["editions", review],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/editions", { params: { path: { review } } })),
  });
const benchQuery = queryOptions({
  queryKey: ["bench"],
  queryFn: () => got(api.GET("/api/v1/bench")),
  staleTime: Number.POSITIVE_INFINITY,
  refetchOnWindowFocus: false,
});
export const useBench = () => useQuery(benchQuery);
/** The clock's speed alone: who asks for no more is not drawn anew with every reading. */
export const useSpeed = () => useQuery({ ...benchQuery, select: (b) => b.speed });

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

/** What is laid over a setup's plates: other setups, and targets pinned as if a perfect display had been measured. */
export interface Laid {
  overlay: number[];
  pins: string[];
  target: string | null;
}

/** The same as the address of a view says it. */
export function laidQuery({ overlay, pins, target }: Laid): URLSearchParams {
  const query = new URLSearchParams(overlay.map((o) => ["overlay", String(o)]));
  for (const p of pins) query.append("pin", p);
  if (target) query.set("target", target);
  return query;
}

export const platesQuery = (review: number, setup: number, measurement: string, laid: Laid) =>
  queryOptions({
    queryKey: ["plates", review, setup, measurement, laid],
    queryFn: () =>
      got(
        api.GET("/api/v1/reviews/{review}/plates/{setup}/{measurement}", {
          params: {
            path: { review, setup, measurement },
            query: { overlay: laid.overlay, pin: laid.pins, target: laid.target },
          },
        }),
      ),
  });

export function usePlates(review: number, setup: number, measurement: string, laid: Laid, enabled = true) {
  return useQuery({
    ...platesQuery(review, setup, measurement, laid),
    placeholderData: (previous) => (previous?.measurement === measurement ? previous : undefined),
    enabled,
  });
}

export const useComparable = () =>
  useQuery({ queryKey: ["compare", "setups"], queryFn: () => got(api.GET("/api/v1/compare/setups")) });

export function useComparison(setups: number[], target: string | null) {
  return useQuery({
    queryKey: ["compare", setups, target],
    queryFn: () => got(api.GET("/api/v1/compare", { params: { query: { setup: setups, target } } })),
    enabled: setups.length > 0,
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
export const useReadings = (review: number, setup: number, measurement: string) =>
  useQuery({
    queryKey: ["readings", review, setup, measurement],
    queryFn: () =>
      got(
        api.GET("/api/v1/reviews/{review}/setups/{setup}/readings/{measurement}", {
          params: { path: { review, setup, measurement } },
        }),
      ),
  });
export const useTargets = () => useQuery({ queryKey: ["targets"], queryFn: () => got(api.GET("/api/v1/targets")) });

export const useInstruments = () =>
  useQuery({
    queryKey: ["instruments"],
    queryFn: () => got(api.GET("/api/v1/instruments")),
    refetchInterval: (query) => (query.state.data?.attempt?.step === "reading" ? 300 : false),
  });

export const useFree = () =>
  useQuery({ queryKey: ["free"], queryFn: () => got(api.GET("/api/v1/free")), staleTime: Number.POSITIVE_INFINITY });

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

/** A change on the server; what it touches is read anew. */
export function useAct<T, V = void>(act: (value: V) => Promise<T>, touched: string[] = []) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: () => {
      for (const key of touched) client.invalidateQueries({ queryKey: [key] });
    },
  });
}
