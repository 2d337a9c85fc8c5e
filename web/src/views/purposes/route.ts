import type { View } from "../../app/view";
import { shelfQuery } from "../shelf/queries";
import { PURPOSES_KEYS } from "./keys";
import { purposesQuery } from "./queries";

export const view: View = {
  place: 150,
  route: "purposes",
  title: "Purposes",
  keys: [PURPOSES_KEYS],
  bar: "everywhere",
  query: () => [purposesQuery, shelfQuery],
  load: () => import("./PurposesView"),
};
