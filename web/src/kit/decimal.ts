/** A number as people write it, with a point or a comma; null where nothing stands, NaN where it is no number. */
export const decimal = (text: string): number | null =>
  text.trim() === "" ? null : Number(text.trim().replace(",", "."));
