import { numberIn, type View } from "../../app/view";
import { experimentsQuery } from "../findout/queries";
import { CONDITIONS_KEYS } from "./keys";

export const view: View = {
  place: 60,
  route: "review/:review/conditions",
  title: "Conditions",
  keys: [CONDITIONS_KEYS],
  bar: "review",
  query: (at) => [experimentsQuery(numberIn(at, "review"))],
  load: () => import("./ConditionsView"),
};
