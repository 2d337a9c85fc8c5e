import type { PictureKind } from "../kinds";
import { Plane } from "./Plane";

export const picture: PictureKind = {
  kind: "plane",
  Picture: ({ chart, width }) => <Plane chart={chart} height={400} width={width} />,
  saved: true,
};
