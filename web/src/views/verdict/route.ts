import { numberIn, type View } from "../../app/view";
import { VERDICT_KEYS } from "./keys";
import { editionsQuery, verdictQuery } from "./queries";

export const view: View = {
  place: 100,
  route: "review/:review/verdict",
  title: "Verdict",
  keys: [VERDICT_KEYS],
  bar: "review",
  query: (at) => [verdictQuery(numberIn(at, "review")), editionsQuery(numberIn(at, "review"))],
  load: () => import("./VerdictView"),
};
