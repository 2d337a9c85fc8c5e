import type { KeyGroup } from "../../app/view";

export const TARGETS_KEYS = {
  where: "Targets",
  keys: {
    add: ["a", "define a target"],
    back: ["Escape", "close the form, or back"],
  },
} as const satisfies KeyGroup;
