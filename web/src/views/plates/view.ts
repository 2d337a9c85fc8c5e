import { boardQuery, laidIn, platesQuery } from "../../api/queries";
import { CHART } from "../../app/keymap";
import { type KeyGroup, numberIn, type View } from "../../app/view";

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

export const plates: View = {
  route: "review/:review/plates/:setup/:measurement",
  title: "Charts",
  keys: [PLATES_KEYS, CHART],
  query: (at) => [
    boardQuery(numberIn(at, "review")),
    platesQuery(numberIn(at, "review"), numberIn(at, "setup"), at.path.measurement ?? "", laidIn(at.search)),
  ],
  load: () => import("./PlatesView"),
};
