import type { ComponentType } from "react";
import type { Chart } from "../api/client";

/** One kind of picture: all that the rest knows of it. It stands in its folder's `picture.tsx`, where it is found. */
export interface PictureKind {
  kind: Chart["kind"];
  /** Draws a chart as wide as told, as high as the kind is. */
  Picture: ComponentType<{ chart: Chart; width: number }>;
  /** Whether the whole picture is one SVG that can be saved. */
  saved: boolean;
}

const found = import.meta.glob<{ picture: PictureKind }>("./*/picture.tsx", { eager: true });

/** Every kind of picture by its name. */
export const KINDS: ReadonlyMap<string, PictureKind> = new Map(
  Object.values(found).map(({ picture }) => [picture.kind, picture]),
);
