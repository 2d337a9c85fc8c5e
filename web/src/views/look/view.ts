import type { View } from "../../app/view";

export const look: View = {
  route: "review/:review/look/:setup",
  title: "How it looks",
  keys: [],
  load: () => import("./LookView"),
};
