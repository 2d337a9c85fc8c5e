import type { KeyGroup } from "../../app/view";

export const INSTRUMENTS_KEYS = {
  where: "Instruments",
  keys: {
    add: ["a", "name a meter of your own"],
    back: ["Escape", "close the form, or back"],
  },
} as const satisfies KeyGroup;
