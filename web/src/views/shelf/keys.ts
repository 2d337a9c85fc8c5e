import type { KeyGroup } from "../../app/view";

export const SHELF_KEYS = {
  where: "Shelf",
  keys: {
    search: ["/", "search"],
    next: ["w", "scores for the next purpose"],
    before: ["W", "scores for the previous purpose"],
    clear: ["Escape", "clear the search"],
  },
} as const satisfies KeyGroup;
