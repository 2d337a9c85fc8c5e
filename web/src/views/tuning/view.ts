import { tuningsQuery } from "../../api/queries";
import { type KeyGroup, numberIn, type View } from "../../app/view";

export const TUNING_KEYS = {
  where: "Tuning",
  keys: {
    confirm: [" ", "confirm what was entered and read: to the first reading, or keep what is typed"],
    yes: ["1", "asked: it stands where the reading says"],
    no: ["2", "asked: it stands where it should"],
    pause: ["p", "pause the bench, or go on"],
    back: ["Escape", "back to the Board; the tuning stays where it is"],
  },
} as const satisfies KeyGroup;

export const tuning: View = {
  route: "review/:review/tuning",
  title: "Tuning",
  keys: [TUNING_KEYS],
  bar: "review",
  query: (at) => [tuningsQuery(numberIn(at, "review"))],
  load: () => import("./TuningView"),
};
