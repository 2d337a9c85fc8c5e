import { numberIn, type View } from "../../app/view";
import { CAMERA_KEYS } from "./keys";
import { cameraQuery } from "./queries";

export const view: View = {
  place: 70,
  route: "review/:review/camera",
  title: "Camera check",
  keys: [CAMERA_KEYS],
  query: (at) => [cameraQuery(numberIn(at, "review"))],
  load: () => import("./CameraView"),
};
