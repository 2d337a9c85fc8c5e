import { numberIn, type View } from "../../app/view";
import { BOARD_KEYS, FREE_KEYS, UNDO_KEYS } from "./keys";
import { boardQuery } from "./queries";

export const view: View = {
  place: 30,
  route: "review/:review",
  title: "Board",
  bar: "review",
  keys: [BOARD_KEYS, UNDO_KEYS, FREE_KEYS],
  query: (at) => [boardQuery(numberIn(at, "review"))],
  load: () => import("./BoardView"),
};
