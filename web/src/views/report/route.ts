import { numberIn, type View } from "../../app/view";
import { REPORT_KEYS } from "./keys";
import { reportQuery } from "./queries";

export const view: View = {
  place: 105,
  route: "review/:review/report",
  title: "Report",
  keys: [REPORT_KEYS],
  bar: "review",
  query: (at) => [reportQuery(numberIn(at, "review"))],
  load: () => import("./ReportView"),
};
