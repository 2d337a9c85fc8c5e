import { editionsQuery, verdictQuery } from "../../api/queries";
import { type KeyGroup, numberIn, type View } from "../../app/view";

export const VERDICT_KEYS = {
  where: "Verdict",
  keys: {
    next: ["w", "the next purpose"],
    before: ["W", "the purpose before"],
    back: ["Escape", "back to the Board"],
  },
} as const satisfies KeyGroup;

export const verdict: View = {
  route: "review/:review/verdict",
  title: "Verdict",
  keys: [VERDICT_KEYS],
  bar: "review",
  query: (at) => [verdictQuery(numberIn(at, "review")), editionsQuery(numberIn(at, "review"))],
  load: () => import("./VerdictView"),
};
