import type { View } from "../../app/view";

export const importing: View = {
  route: "import",
  title: "Import readings",
  keys: [],
  load: () => import("./ImportView"),
};
