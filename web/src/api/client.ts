import type { components } from "./schema";

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
export type Attempt = Schemas["Attempt"];
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
export type KnownMenu = Schemas["KnownMenu"];
export type PastMenu = Schemas["PastMenu"];
export type PastChange = Schemas["PastChange"];
export type Recall = Schemas["Recall"];
export type TargetView = Schemas["TargetView"];
export type NamedMeter = Schemas["NamedMeter"];
export type PurposeVerdict = Schemas["PurposeVerdict"];
export type ModeScore = Schemas["ModeScore"];
export type EditionView = Schemas["EditionView"];
export type PlanPreview = Schemas["PlanPreview"];
export type RunOption = Schemas["RunOption"];
export type CellChoice = Schemas["CellChoice"];
export type Problem = { type: string; title: string; status: number; detail: string; place?: string | null };

/** A problem document from the server, or the server not answering. */
export class ApiError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

/** One request to the API; throws ApiError with a sentence for the person. */
export async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, {
      method,
      headers: method === "GET" ? {} : { "Content-Type": "application/json" },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
  } catch {
    throw new ApiError({
      type: "urn:lumenar:offline",
      title: "No answer",
      status: 0,
      detail: "The server does not answer. Nothing is lost; start it again and this page goes on by itself.",
    });
  }
  if (response.status === 204) return undefined as T;
  const text = await response.text();
  if (!response.ok) {
    try {
      throw new ApiError(JSON.parse(text) as Problem);
    } catch (error) {
      if (error instanceof ApiError) throw error;
      throw new ApiError({
        type: "urn:lumenar:error",
        title: "Error",
        status: response.status,
        detail: `The server failed (${response.status}). What was measured is safe; try again.`,
      });
    }
  }
  return JSON.parse(text) as T;
}
