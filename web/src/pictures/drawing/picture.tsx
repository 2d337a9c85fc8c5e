import type { PictureKind } from "../kinds";
import { Drawing } from "./Drawing";

export const picture: PictureKind = {
  kind: "drawing",
  Picture: ({ chart, width }) => <Drawing chart={chart} width={width} />,
  saved: true,
};
