import type { Sent } from "../api/client";

/** Panel types in plain words. */
export const PANELS: Record<Sent<"NewCorrection">["panel"], string> = {
  lcd: "liquid crystal",
  oled: "emissive",
  projector: "projection",
  other: "other",
};

/** Kinds of displays as they are called. */
export const KINDS = {
  monitor: "monitor",
  television: "television",
  projector: "projector",
  phone: "phone",
  laptop: "laptop",
};
