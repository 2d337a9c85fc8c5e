import type { View } from "../../app/view";
import { purposesQuery } from "../purposes/queries";
import { SHELF_KEYS } from "./keys";
import { shelfQuery } from "./queries";

export const view: View = {
  place: 10,
  route: "",
  title: "Shelf",
  keys: [SHELF_KEYS],
  query: () => [shelfQuery, purposesQuery],
  load: () => import("./Shelf"),
};
