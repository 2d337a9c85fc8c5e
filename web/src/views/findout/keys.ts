import type { KeyGroup } from "../../app/view";

export const FINDOUT_KEYS = {
  where: "Experiments",
  keys: {
    confirm: [" ", "confirm that it is done and go to the first reading, or save the typed readings"],
    pause: ["p", "pause or resume the bench"],
    learn: ["m", "save the result to the menu map or the recipe"],
    back: ["Escape", "back to the menu map; the experiment can be resumed later"],
  },
} as const satisfies KeyGroup;
