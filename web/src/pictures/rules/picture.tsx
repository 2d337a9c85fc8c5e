import type { PictureKind } from "../kinds";
import { RuleList } from "./RuleList";

export const picture: PictureKind = {
  kind: "rules",
  Picture: ({ chart }) => <RuleList chart={chart} />,
  saved: false,
};
