import { CHART } from "../../app/keymap";
import { numberIn, type View } from "../../app/view";
import { boardQuery } from "../board/queries";
import { PLATES_KEYS } from "./keys";
import { laidIn, platesQuery } from "./queries";

export const view: View = {
  place: 40,
  route: "review/:review/plates/:setup/:measurement",
  title: "Charts",
  keys: [PLATES_KEYS, CHART],
  query: (at) => [
    boardQuery(numberIn(at, "review")),
    platesQuery(numberIn(at, "review"), numberIn(at, "setup"), at.path.measurement ?? "", laidIn(at.search)),
  ],
  load: () => import("./PlatesView"),
};
