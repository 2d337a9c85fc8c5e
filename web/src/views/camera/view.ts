import { cameraQuery } from "../../api/queries";
import { type KeyGroup, numberIn, type View } from "../../app/view";

export const CAMERA_KEYS = {
  where: "Camera check",
  keys: { back: ["Escape", "back to the Board"] },
} as const satisfies KeyGroup;

export const camera: View = {
  route: "review/:review/camera",
  title: "Camera check",
  keys: [CAMERA_KEYS],
  query: (at) => [cameraQuery(numberIn(at, "review"))],
  load: () => import("./CameraView"),
};
