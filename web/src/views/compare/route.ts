import type { View } from "../../app/view";
import { comparableQuery } from "./queries";

export const view: View = {
  place: 140,
  route: "compare",
  title: "Compare",
  keys: [],
  bar: "everywhere",
  query: () => [comparableQuery],
  load: () => import("./CompareView"),
};
