import { comparableQuery } from "../../api/queries";
import type { View } from "../../app/view";

export const compare: View = {
  route: "compare",
  title: "Compare",
  keys: [],
  bar: "everywhere",
  query: () => [comparableQuery],
  load: () => import("./CompareView"),
};
