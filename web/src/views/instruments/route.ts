import type { View } from "../../app/view";
import { INSTRUMENTS_KEYS } from "./keys";
import { instrumentsQuery } from "./queries";

export const view: View = {
  place: 170,
  route: "instruments",
  title: "Instruments",
  keys: [INSTRUMENTS_KEYS],
  bar: "everywhere",
  query: () => [instrumentsQuery],
  load: () => import("./InstrumentsView"),
};
