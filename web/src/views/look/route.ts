import type { View } from "../../app/view";

export const view: View = {
  place: 110,
  route: "review/:review/look/:setup",
  title: "How it looks",
  keys: [],
  load: () => import("./LookView"),
};
