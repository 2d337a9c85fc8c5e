import { instrumentsQuery } from "../../api/queries";
import type { KeyGroup, View } from "../../app/view";

export const INSTRUMENTS_KEYS = {
  where: "Instruments",
  keys: {
    add: ["a", "name a meter of your own"],
    back: ["Escape", "close the form, or back"],
  },
} as const satisfies KeyGroup;

export const instruments: View = {
  route: "instruments",
  title: "Instruments",
  keys: [INSTRUMENTS_KEYS],
  bar: "everywhere",
  query: () => [instrumentsQuery],
  load: () => import("./InstrumentsView"),
};
