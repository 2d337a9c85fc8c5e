import { experimentsQuery } from "../../api/queries";
import { type KeyGroup, numberIn, type View } from "../../app/view";

export const CONDITIONS_KEYS = {
  where: "Conditions",
  keys: {
    confirm: [" ", "what was to be done is done: to the first reading, or keep what is typed"],
    pause: ["p", "pause the bench, or go on"],
    down: ["j", "the next state"],
    up: ["k", "the state before"],
    choose: ["x", "draw the state's greys, or take them off"],
    back: ["Escape", "back to the Board; the experiment stays where it is"],
  },
} as const satisfies KeyGroup;

export const conditions: View = {
  route: "review/:review/conditions",
  title: "Conditions",
  keys: [CONDITIONS_KEYS],
  bar: "review",
  query: (at) => [experimentsQuery(numberIn(at, "review"))],
  load: () => import("./ConditionsView"),
};
