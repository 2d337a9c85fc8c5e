import type { View } from "./view";

const found = import.meta.glob<{ view: View }>("../views/*/route.ts", { eager: true });

/** Every view, in the order of the top bar and of the help: that of a review is the order of the work. */
export const VIEWS: readonly View[] = Object.values(found)
  .map((route) => route.view)
  .sort((a, b) => a.place - b.place);
