import type { PictureKind } from "../kinds";
import { Span } from "./Span";

export const picture: PictureKind = {
  kind: "span",
  Picture: ({ chart, width }) => <Span chart={chart} width={width} />,
  saved: true,
};
