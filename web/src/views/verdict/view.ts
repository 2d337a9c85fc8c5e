import { editionsQuery, verdictQuery } from "../../api/queries";
import { numberIn, type View } from "../../app/view";

export const verdict: View = {
  route: "review/:review/verdict",
  title: "Verdict",
  keys: [],
  bar: "review",
  query: (at) => [verdictQuery(numberIn(at, "review")), editionsQuery(numberIn(at, "review"))],
  load: () => import("./VerdictView"),
};
