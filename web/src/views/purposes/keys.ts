import type { KeyGroup } from "../../app/view";

export const PURPOSES_KEYS = {
  where: "Purposes",
  keys: {
    next: ["w", "the next purpose"],
    before: ["W", "the purpose before"],
    add: ["a", "add your own purpose, based on this one"],
    back: ["Escape", "leave the form, or back"],
  },
} as const satisfies KeyGroup;
