import { experimentsQuery } from "../../api/queries";
import { type KeyGroup, numberIn, type View } from "../../app/view";

export const FINDOUT_KEYS = {
  where: "Find out",
  keys: {
    confirm: [" ", "what was to be done is done: to the first reading, or keep what is typed"],
    pause: ["p", "pause the bench, or go on"],
    learn: ["m", "write what was found out into the menu map, or into the recipe"],
    back: ["Escape", "back to the menu map; the experiment stays where it is"],
  },
} as const satisfies KeyGroup;

export const findout: View = {
  route: "review/:review/findout",
  title: "Find out",
  keys: [FINDOUT_KEYS],
  bar: "review",
  query: (at) => [experimentsQuery(numberIn(at, "review"))],
  load: () => import("./FindOutView"),
};
