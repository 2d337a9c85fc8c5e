import type { PictureKind } from "../kinds";
import { Lines } from "./Lines";

export const picture: PictureKind = {
  kind: "lines",
  Picture: ({ chart, width }) => <Lines chart={chart} height={210} width={width} />,
  saved: true,
};
