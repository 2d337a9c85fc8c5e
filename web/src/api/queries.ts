import { keepPreviousData, queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { forgetPurpose, purposeNow, usePurpose } from "../parts/purpose";
import { ApiError, api, type Board, type CellChoice, got, type Sent, type Tuning } from "./client";
import type { components } from "./schema";

export const shelfQuery = queryOptions({ queryKey: ["shelf"], queryFn: () => got(api.GET("/api/v1/reviews")) });
export const useShelf = () => useQuery(shelfQuery);
export const useShipped = () =>
  useQuery({
    queryKey: ["units"],
    queryFn: () => got(api.GET("/api/v1/units")),
    staleTime: Number.POSITIVE_INFINITY,
  });
export const menuQuery = (review: number, unit: number | null) =>
  queryOptions({
    queryKey: ["menu", review, unit],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/menu", { params: { path: { review }, query: { unit } } })),
  });
export const useMenu = (review: number, unit: number | null) =>
  useQuery({ ...menuQuery(review, unit), placeholderData: keepPreviousData });
export const useMenus = () => useQuery({ queryKey: ["menu", "known"], queryFn: () => got(api.GET("/api/v1/menus")) });
export const useMenuHistory = (review: number, unit: number) =>
  useQuery({
    queryKey: ["menu", review, unit, "history"],
    queryFn: () =>
      got(api.GET("/api/v1/reviews/{review}/menu/history", { params: { path: { review }, query: { unit } } })),
  });
export const sheetQuery = (run: number) =>
  queryOptions({
    queryKey: ["sheet", run],
    queryFn: () => got(api.GET("/api/v1/runs/{run}/sheet", { params: { path: { run } } })),
  });
export const useSheet = (run: number) => useQuery(sheetQuery(run));
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
export const cameraQuery = (review: number) =>
  queryOptions({
    queryKey: ["camera", review],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/camera", { params: { path: { review } } })),
  });
export const useCamera = (review: number) => useQuery(cameraQuery(review));
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
/** What experiments found out, by control. */
export const useFindings = (review: number, unit: number | null) =>
  useQuery({
    queryKey: ["findings", review, unit],
    queryFn: () =>
      got(api.GET("/api/v1/reviews/{review}/menu/findings", { params: { path: { review }, query: { unit } } })),
  });
export const recipeQuery = (review: number, setup: number) =>
  queryOptions({
    queryKey: ["recipe", review, setup],
    queryFn: () =>
      got(api.GET("/api/v1/reviews/{review}/setups/{setup}/recipe", { params: { path: { review, setup } } })),
  });
export const useRecipe = (review: number, setup: number) => useQuery(recipeQuery(review, setup));
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
/** What is asked for a purpose; the usual one where somebody deleted it meanwhile. */
async function forPurpose<T>(purpose: string, ask: (purpose: string) => Promise<T>): Promise<T> {
  try {
    return await ask(purpose);
  } catch (error) {
    if (!(error instanceof ApiError) || error.problem.place !== "purpose") throw error;
    forgetPurpose();
    return ask(purposeNow());
  }
}
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
export const formsQuery = queryOptions({
  queryKey: ["forms"],
  queryFn: () => got(api.GET("/api/v1/forms")),
  staleTime: Number.POSITIVE_INFINITY,
});
export const useForms = () => useQuery(formsQuery);
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
export const verdictQuery = (review: number) =>
  queryOptions({
    queryKey: ["verdict", review],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/verdict", { params: { path: { review } } })),
  });
export const useVerdict = (review: number) => useQuery(verdictQuery(review));
/** What another firmware changed; what is measured changes it as it does the verdict. */
export const useFirmwareChanges = (review: number) =>
  useQuery({
    queryKey: ["verdict", review, "firmware"],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/firmware", { params: { path: { review } } })),
  });
export const editionsQuery = (review: number) =>
  queryOptions({
    queryKey: ["editions", review],
    queryFn: () => got(api.GET("/api/v1/reviews/{review}/editions", { params: { path: { review } } })),
  });
export const useEditions = (review: number) => useQuery(editionsQuery(review));
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

/** What an address says of it. */
export const laidIn = (search: URLSearchParams): Laid => ({
  overlay: search.getAll("overlay").map(Number),
  pins: search.getAll("pin"),
  target: search.get("target"),
});

/** The same as an address says it. */
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

export const comparableQuery = queryOptions({
  queryKey: ["compare", "setups"],
  queryFn: () => got(api.GET("/api/v1/compare/setups")),
});
export const useComparable = () => useQuery(comparableQuery);

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
export const targetsQuery = queryOptions({ queryKey: ["targets"], queryFn: () => got(api.GET("/api/v1/targets")) });
export const useTargets = () => useQuery(targetsQuery);

export const instrumentsQuery = queryOptions({
  queryKey: ["instruments"],
  queryFn: () => got(api.GET("/api/v1/instruments")),
  refetchInterval: (query) => (query.state.data?.attempt?.step === "reading" ? 300 : false),
});
export const useInstruments = () => useQuery(instrumentsQuery);

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
