/** What a control can be for, and how it is called; points of tables and hues have roles of their own. */
export const ROLES: Record<string, string> = {
  "": "something else",
  luminance: "the luminance of white",
  tone: "the curve",
  shadows: "the shadows",
  "red gain": "red at the bright end (gain)",
  "green gain": "green at the bright end (gain)",
  "blue gain": "blue at the bright end (gain)",
  "red offset": "red at the dark end (offset)",
  "green offset": "green at the dark end (offset)",
  "blue offset": "blue at the dark end (offset)",
  white: "the colour of white, in another way",
};

/** What a control sets, in a few words. */
export const roleWords = (role: string) => `sets ${ROLES[role] ?? role}`;

/** What a table sets, by the role of one of its cells. */
export function tableWords(role: string): string {
  if (/ at \S+ %$/.test(role)) return "sets white, point by point";
  if (/ (hue|saturation|lightness)$| in /.test(role)) return "sets six colours";
  return roleWords(role);
}

/** The choices with the present one among them, whatever it is. */
export const rolesWith = (role: string): Record<string, string> => (role in ROLES ? ROLES : { ...ROLES, [role]: role });
