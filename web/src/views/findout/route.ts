import { numberIn, type View } from "../../app/view";
import { FINDOUT_KEYS } from "./keys";
import { experimentsQuery } from "./queries";

export const view: View = {
  place: 50,
  route: "review/:review/findout",
  title: "Experiments",
  keys: [FINDOUT_KEYS],
  bar: "review",
  query: (at) => [experimentsQuery(numberIn(at, "review"))],
  load: () => import("./FindOutView"),
};
