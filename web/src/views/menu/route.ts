import { numberIn, type View } from "../../app/view";
import { MENU_KEYS } from "./keys";
import { menuQuery } from "./queries";

export const view: View = {
  place: 20,
  route: "review/:review/menu",
  title: "Menu map",
  keys: [MENU_KEYS],
  bar: "review",
  query: (at) => {
    const unit = at.search.get("unit");
    return [menuQuery(numberIn(at, "review"), unit === null ? null : Number(unit))];
  },
  load: () => import("./MenuView"),
};
