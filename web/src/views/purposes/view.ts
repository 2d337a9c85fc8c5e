import { purposesQuery, shelfQuery } from "../../api/queries";
import type { KeyGroup, View } from "../../app/view";

export const PURPOSES_KEYS = {
  where: "Purposes",
  keys: {
    next: ["w", "the next purpose"],
    before: ["W", "the purpose before"],
    add: ["a", "add your own purpose, based on this one"],
    back: ["Escape", "leave the form, or back"],
  },
} as const satisfies KeyGroup;

export const purposes: View = {
  route: "purposes",
  title: "Purposes",
  keys: [PURPOSES_KEYS],
  bar: "everywhere",
  query: () => [purposesQuery, shelfQuery],
  load: () => import("./PurposesView"),
};
