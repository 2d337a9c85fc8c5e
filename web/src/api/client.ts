import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type Board = Schemas["Board"];
export type BoardRow = Schemas["BoardRow"];
export type BoardCell = Schemas["BoardCell"];
export type BoardColumn = Schemas["BoardColumn"];
export type BoardFigure = Schemas["BoardFigure"];
export type BenchStatus = Schemas["BenchStatus"];
export type Chart = Schemas["Chart"];
export type Series = Schemas["Series"];
export type Axis = Schemas["Axis"];
export type Mark = Schemas["Mark"];
export type Plates = Schemas["Plates"];
export type Comparison = Schemas["Comparison"];
export type ComparedSetup = Schemas["ComparedSetup"];
export type ComparedValue = Schemas["ComparedValue"];
export type SetupView = Schemas["SetupView"];
export type ControlView = Schemas["ControlView"];
export type InstrumentsView = Schemas["InstrumentsView"];
export type Attempt = Schemas["CorrectionAttempt"];
export type FreeView = Schemas["FreeView"];
export type Look = Schemas["Look"];
export type ShelfEntry = Schemas["ShelfEntry"];
export type ShippedUnit = Schemas["ShippedUnit"];
export type MenuMap = Schemas["MenuMap"];
export type MenuControl = Schemas["MenuControl"];
export type Sheet = Schemas["Sheet"];
export type SheetPatch = Schemas["SheetPatch"];
export type Answer = Schemas["Answer"];
export type Answers = Schemas["Answers"];
export type Understood = Schemas["Understood"];
export type Consequences = Schemas["Consequences"];
export type FormChoice = Schemas["FormChoice"];
export type Verdict = Schemas["Verdict"];
export type Claim = Schemas["Claim"];
export type DraftReport = Schemas["DraftReport"];
export type FindingBlock = Schemas["FindingBlock"];
export type Wording = Schemas["Wording"];
export type FindingView = Schemas["FindingView"];
export type ObservedBehaviour = Schemas["ObservedBehaviour"];
export type KnownMenu = Schemas["KnownMenu"];
export type ReadPatch = Schemas["ReadPatch"];
export type PastMenu = Schemas["PastMenu"];
export type PastChange = Schemas["PastChange"];
export type Recall = Schemas["Recall"];
export type TargetView = Schemas["TargetView"];
export type NamedMeter = Schemas["NamedMeter"];
export type PurposeView = Schemas["PurposeView"];
export type RuleView = Schemas["RuleView"];
export type PurposeVerdict = Schemas["PurposeVerdict"];
export type ModeScore = Schemas["ModeScore"];
export type EditionView = Schemas["EditionView"];
export type PlanPreview = Schemas["PlanPreview"];
export type ConditionsResult = Schemas["ConditionsView"];
export type EffectCell = Schemas["EffectCell"];
export type ExperimentCost = Schemas["Cost"];
export type CameraCheck = Schemas["CameraView"];
export type Experiment = Schemas["ExperimentView"];
export type Finding = Schemas["FoundOut"];
export type Tuning = Schemas["TuningView"];
export type Recipe = Schemas["RecipeView"];
export type GoalChoice = Schemas["GoalChoice"];
export type Worth = Schemas["Worth"];
export type Fault = NonNullable<Schemas["Fault"]["fault"]>;
export type MenuRead = Schemas["MenuRead"];
export type RunOption = Schemas["RunOption"];
export type CellChoice = Schemas["CellChoice"];
/** What is sent, by the name of its schema. */
export type Sent<K extends keyof Schemas> = Schemas[K];
export type Problem = { type: string; title: string; status: number; detail: string; place?: string | null };

/** A problem document from the server, or the server not answering. */
export class ApiError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

const OFFLINE: Problem = {
  type: "urn:lumenar:offline",
  title: "No answer",
  status: 0,
  detail: "The server doesn't answer. Nothing is lost. Start it again, and this page continues by itself.",
};

/** JSON knows no "not a number" and would send null, which says that nobody states it: what was typed is refused instead. */
function onlyNumbers(place: string, value: unknown): unknown {
  if (typeof value !== "number" || Number.isFinite(value)) return value;
  const problem = { type: "urn:lumenar:bad-input", title: "Bad input", status: 400, place };
  throw new ApiError({ ...problem, detail: `${place.replaceAll("_", " ")}: a number is wanted. Nothing was changed.` });
}

/** The API, by its document: addresses, what is asked and what is answered are checked by the compiler. */
export const api = createClient<paths>({
  baseUrl: "",
  // A change says that it is JSON even where it has no body.
  headers: { "Content-Type": "application/json" },
  bodySerializer: (body) => JSON.stringify(body, onlyNumbers),
  querySerializer: { array: { style: "form", explode: true } },
  fetch: (request) => globalThis.fetch(request),
});

/** What the API answers; throws ApiError with a sentence for the person. */
export async function got<T>(asked: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let answer: Awaited<typeof asked>;
  try {
    answer = await asked;
  } catch (e) {
    throw e instanceof ApiError ? e : new ApiError(OFFLINE);
  }
  const { data, error, response } = answer;
  if (response.ok) return data as T;
  throw new ApiError(
    isProblem(error)
      ? error
      : {
          type: "urn:lumenar:error",
          title: "Error",
          status: response.status,
          detail: `The server failed (${response.status}). Your readings are safe. Try again.`,
        },
  );
}

const isProblem = (e: unknown): e is Problem => typeof e === "object" && e !== null && "detail" in e && "type" in e;

/** An edit says which state it was made from, so that two tabs never overwrite each other. */
export const from = (version: string) => ({ headers: { "If-Match": `"${version}"` } });
