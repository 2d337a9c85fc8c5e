/** Panel types in plain words. */
export const PANELS: Record<string, string> = {
  lcd: "liquid crystal",
  oled: "emissive",
  projector: "projection",
  other: "other",
};
