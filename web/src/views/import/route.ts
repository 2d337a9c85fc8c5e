import type { View } from "../../app/view";

export const view: View = {
  place: 130,
  route: "import",
  title: "Import readings",
  keys: [],
  load: () => import("./ImportView"),
};
