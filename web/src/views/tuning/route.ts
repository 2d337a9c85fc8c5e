import { numberIn, type View } from "../../app/view";
import { TUNING_KEYS } from "./keys";
import { tuningsQuery } from "./queries";

export const view: View = {
  place: 80,
  route: "review/:review/tuning",
  title: "Tuning",
  keys: [TUNING_KEYS],
  bar: "review",
  query: (at) => [tuningsQuery(numberIn(at, "review"))],
  load: () => import("./TuningView"),
};
