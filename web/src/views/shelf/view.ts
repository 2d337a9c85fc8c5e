import { shelfQuery } from "../../api/queries";
import type { KeyGroup, View } from "../../app/view";

export const SHELF_KEYS = {
  where: "Shelf",
  keys: {
    search: ["/", "search"],
    clear: ["Escape", "clear the search"],
  },
} as const satisfies KeyGroup;

export const shelf: View = {
  route: "",
  title: "Shelf",
  keys: [SHELF_KEYS],
  query: () => [shelfQuery],
  load: () => import("./Shelf"),
};
