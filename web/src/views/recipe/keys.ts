import type { KeyGroup } from "../../app/view";

export const RECIPE_KEYS = {
  where: "Recipe",
  keys: {
    replay: ["r", "replay it from a factory reset"],
    write: ["e", "edit it: reasons, checks, choices, workarounds, text"],
    print: ["p", "print it on one page"],
    back: ["Escape", "back to the Board"],
  },
} as const satisfies KeyGroup;
