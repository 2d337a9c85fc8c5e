import { numberIn, type View } from "../../app/view";
import { formsQuery } from "../../kit/forms";
import { HAND_KEYS } from "./keys";
import { sheetQuery } from "./queries";

export const view: View = {
  place: 120,
  route: "review/:review/hand/:run",
  title: "Run by hand",
  keys: [HAND_KEYS],
  query: (at) => [sheetQuery(numberIn(at, "run")), formsQuery],
  load: () => import("./HandView"),
};
