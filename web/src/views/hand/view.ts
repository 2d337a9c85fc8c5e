import { formsQuery, sheetQuery } from "../../api/queries";
import { type KeyGroup, numberIn, type View } from "../../app/view";

export const HAND_KEYS = {
  where: "Run by hand",
  keys: {
    back: ["Escape", "back to the Board; the list stays open"],
  },
} as const satisfies KeyGroup;

export const hand: View = {
  route: "review/:review/hand/:run",
  title: "Run by hand",
  keys: [HAND_KEYS],
  query: (at) => [sheetQuery(numberIn(at, "run")), formsQuery],
  load: () => import("./HandView"),
};
