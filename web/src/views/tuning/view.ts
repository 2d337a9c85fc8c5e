import { tuningsQuery } from "../../api/queries";
import { type KeyGroup, numberIn, type View } from "../../app/view";

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

export const tuning: View = {
  route: "review/:review/tuning",
  title: "Tuning",
  keys: [TUNING_KEYS],
  bar: "review",
  query: (at) => [tuningsQuery(numberIn(at, "review"))],
  load: () => import("./TuningView"),
};
