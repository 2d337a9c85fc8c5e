import { keepPreviousData, queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import {
  type BenchStatus,
  type Board,
  type CellChoice,
  type ComparedSetup,
  type Comparison,
  call,
  type EditionView,
  type FormChoice,
  type FreeView,
  type InstrumentsView,
  type KnownMenu,
  type Look,
  type MenuMap,
  type PastChange,
  type PastMenu,
  type PlanPreview,
  type Plates,
  type Recall,
  type SetupView,
  type Sheet,
  type ShelfEntry,
  type ShippedUnit,
  type TargetView,
  type Verdict,
} from "./client";
import type { components } from "./schema";

export const useShelf = () => useQuery({ queryKey: ["shelf"], queryFn: () => call<ShelfEntry[]>("GET", "/reviews") });
export const useShipped = () =>
  useQuery({
    queryKey: ["units"],
    queryFn: () => call<ShippedUnit[]>("GET", "/units"),
    staleTime: Number.POSITIVE_INFINITY,
  });
const ofUnit = (unit: number | null) => (unit === null ? "" : `?unit=${unit}`);
export const useMenu = (review: number, unit: number | null) =>
  useQuery({
    queryKey: ["menu", review, unit],
    queryFn: () => call<MenuMap>("GET", `/reviews/${review}/menu${ofUnit(unit)}`),
    placeholderData: keepPreviousData,
  });
export const useMenus = () =>
  useQuery({ queryKey: ["menu", "known"], queryFn: () => call<KnownMenu[]>("GET", "/menus") });
export const useMenuHistory = (review: number, unit: number) =>
  useQuery({
    queryKey: ["menu", review, unit, "history"],
    queryFn: () => call<PastMenu[]>("GET", `/reviews/${review}/menu/history?unit=${unit}`),
  });
export const useSheet = (run: number) =>
  useQuery({ queryKey: ["sheet", run], queryFn: () => call<Sheet>("GET", `/runs/${run}/sheet`) });
export const useForms = () =>
  useQuery({
    queryKey: ["forms"],
    queryFn: () => call<FormChoice[]>("GET", "/forms"),
    staleTime: Number.POSITIVE_INFINITY,
  });
export const useBoard = (review: number) =>
  useQuery({ queryKey: ["board", review], queryFn: () => call<Board>("GET", `/reviews/${review}/board`) });
export const useVerdict = (review: number) =>
  useQuery({ queryKey: ["verdict", review], queryFn: () => call<Verdict>("GET", `/reviews/${review}/verdict`) });
export const useEditions = (review: number) =>
  useQuery({
    queryKey: ["editions", review],
    queryFn: () => call<EditionView[]>("GET", `/reviews/${review}/editions`),
  });
const benchQuery = queryOptions({
  queryKey: ["bench"],
  queryFn: () => call<BenchStatus>("GET", "/bench"),
  staleTime: Number.POSITIVE_INFINITY,
  refetchOnWindowFocus: false,
});
export const useBench = () => useQuery(benchQuery);
/** The clock's speed alone: who asks for no more is not drawn anew with every reading. */
export const useSpeed = () => useQuery({ ...benchQuery, select: (b) => b.speed });

export type RunOptions = Partial<components["schemas"]["Options"]>;

export function usePlan(review: number, cells: CellChoice[], options: RunOptions, speed: number | undefined) {
  return useQuery({
    queryKey: ["plan", review, speed, options, cells],
    queryFn: () => call<PlanPreview>("POST", "/plan", { review, cells, options }),
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

export function laidQuery({ overlay, pins, target }: Laid): URLSearchParams {
  const query = new URLSearchParams(overlay.map((o) => ["overlay", String(o)]));
  for (const p of pins) query.append("pin", p);
  if (target) query.set("target", target);
  return query;
}

export const platesQuery = (review: number, setup: number, measurement: string, laid: Laid) =>
  queryOptions({
    queryKey: ["plates", review, setup, measurement, laid],
    queryFn: () => call<Plates>("GET", `/reviews/${review}/plates/${setup}/${measurement}?${laidQuery(laid)}`),
  });

export function usePlates(review: number, setup: number, measurement: string, laid: Laid, enabled = true) {
  return useQuery({
    ...platesQuery(review, setup, measurement, laid),
    placeholderData: (previous) => (previous?.measurement === measurement ? previous : undefined),
    enabled,
  });
}

export const useComparable = () =>
  useQuery({ queryKey: ["compare", "setups"], queryFn: () => call<ComparedSetup[]>("GET", "/compare/setups") });

export function useComparison(setups: number[], target: string | null) {
  const query = new URLSearchParams(setups.map((s) => ["setup", String(s)]));
  if (target) query.set("target", target);
  return useQuery({
    queryKey: ["compare", setups, target],
    queryFn: () => call<Comparison>("GET", `/compare?${query}`),
    enabled: setups.length > 0,
    placeholderData: keepPreviousData,
  });
}

export const useSetup = (review: number, setup: number) =>
  useQuery({
    queryKey: ["setup", review, setup],
    queryFn: () => call<SetupView>("GET", `/reviews/${review}/setups/${setup}`),
  });

export const useHistory = (review: number, setup: number) =>
  useQuery({
    queryKey: ["history", review, setup],
    queryFn: () => call<PastChange[]>("GET", `/reviews/${review}/setups/${setup}/history`),
  });
export const useRecall = (review: number, setup: number) =>
  useQuery({
    queryKey: ["recall", review, setup],
    queryFn: () => call<Recall>("GET", `/reviews/${review}/setups/${setup}/recall`),
  });
export const useTargets = () =>
  useQuery({ queryKey: ["targets"], queryFn: () => call<TargetView[]>("GET", "/targets") });

export const useInstruments = () =>
  useQuery({
    queryKey: ["instruments"],
    queryFn: () => call<InstrumentsView>("GET", "/instruments"),
    refetchInterval: (query) => (query.state.data?.attempt?.step === "reading" ? 300 : false),
  });

export const useFree = () =>
  useQuery({ queryKey: ["free"], queryFn: () => call<FreeView>("GET", "/free"), staleTime: Number.POSITIVE_INFINITY });

export function useLook(review: number, setup: number, target: string | null, factor: number) {
  const query = new URLSearchParams({ factor: String(factor), ...(target ? { target } : {}) });
  return useQuery({
    queryKey: ["look", review, setup, target, factor],
    queryFn: () => call<Look>("GET", `/reviews/${review}/look/${setup}?${query}`),
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
