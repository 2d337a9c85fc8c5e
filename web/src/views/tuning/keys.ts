import type { KeyGroup } from "../../app/view";

export const TUNING_KEYS = {
  where: "Tuning",
  keys: {
    confirm: [" ", "confirm that it is entered and go to the first reading, or save the typed readings"],
    yes: ["1", "answer: the menu shows the value that the reading suggests"],
    no: ["2", "answer: the menu shows the right value"],
    pause: ["p", "pause or resume the bench"],
    back: ["Escape", "back to the Board; the tuning can be resumed later"],
  },
} as const satisfies KeyGroup;
