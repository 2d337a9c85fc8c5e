import type { View } from "../../app/view";
import { TARGETS_KEYS } from "./keys";
import { targetsQuery } from "./queries";

export const view: View = {
  place: 160,
  route: "targets",
  title: "Targets",
  keys: [TARGETS_KEYS],
  bar: "everywhere",
  query: () => [targetsQuery],
  load: () => import("./TargetsView"),
};
