import type { KeyGroup } from "../../app/view";

export const PLATES_KEYS = {
  where: "Charts",
  keys: {
    target: ["t", "choose a target"],
    overlay: ["o", "overlay another mode, or pin a target"],
    look: ["l", "how the mode looks"],
    readings: ["r", "the readings of each patch, to repeat any of them"],
    before: ["ArrowLeft", "the measurement before"],
    after: ["ArrowRight", "the next measurement"],
    above: ["ArrowUp", "the mode above"],
    below: ["ArrowDown", "the mode below"],
    back: ["Escape", "back to the Board"],
  },
} as const satisfies KeyGroup;
