import { targetsQuery } from "../../api/queries";
import type { KeyGroup, View } from "../../app/view";

export const TARGETS_KEYS = {
  where: "Targets",
  keys: {
    add: ["a", "define a target"],
    back: ["Escape", "close the form, or back"],
  },
} as const satisfies KeyGroup;

export const targets: View = {
  route: "targets",
  title: "Targets",
  keys: [TARGETS_KEYS],
  bar: "everywhere",
  query: () => [targetsQuery],
  load: () => import("./TargetsView"),
};
