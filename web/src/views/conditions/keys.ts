import type { KeyGroup } from "../../app/view";

export const CONDITIONS_KEYS = {
  where: "Conditions",
  keys: {
    confirm: [" ", "confirm that it is done and go to the first reading, or save the typed readings"],
    pause: ["p", "pause or resume the bench"],
    down: ["j", "the next state"],
    up: ["k", "the state before"],
    choose: ["x", "show or hide the state's greys"],
    back: ["Escape", "back to the Board; the experiment can be resumed later"],
  },
} as const satisfies KeyGroup;
