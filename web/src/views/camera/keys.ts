import type { KeyGroup } from "../../app/view";

export const CAMERA_KEYS = {
  where: "Camera check",
  keys: { back: ["Escape", "back to the Board"] },
} as const satisfies KeyGroup;
