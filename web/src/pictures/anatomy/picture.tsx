import type { PictureKind } from "../kinds";
import { Anatomy } from "./Anatomy";

export const picture: PictureKind = {
  kind: "anatomy",
  Picture: ({ chart, width }) => <Anatomy chart={chart} height={204} width={width} />,
  saved: true,
};
