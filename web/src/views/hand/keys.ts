import type { KeyGroup } from "../../app/view";

export const HAND_KEYS = {
  where: "Run by hand",
  keys: {
    back: ["Escape", "back to the Board; the list stays open"],
  },
} as const satisfies KeyGroup;
