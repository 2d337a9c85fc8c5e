import type { KeyGroup, Keys } from "./view";

/**
 * Keys that work in more than one view. A view's are in its `view.ts`. Views bind by name and the help is made of the same
 * lists, so that neither can say what the other does not do.
 */
export const EVERYWHERE = {
  where: "Everywhere",
  keys: {
    help: ["?", "these keys"],
    theme: ["n", "daylight or dim room"],
    dark: ["d", "near black while measuring, and back"],
  },
} as const satisfies KeyGroup;

export const RUN = {
  where: "While a run is on the bench",
  keys: { pause: ["p", "pause or resume the run"] },
} as const satisfies KeyGroup;

export const BACK = {
  where: "Every view",
  keys: { back: ["Escape", "back, or close"] },
} as const satisfies KeyGroup;

/** Keys of a chart that has the focus; it handles them itself. */
export const CHART = {
  where: "A chart that has the focus",
  keys: { zoom: ["+ − 0", "zoom, and back; arrows move it"] },
} as const satisfies KeyGroup;

export type Acts<K extends Keys> = Record<keyof K, (event: KeyboardEvent) => void>;

const SHOWN: Record<string, string> = {
  Escape: "Esc",
  " ": "Space",
  ArrowUp: "↑",
  ArrowDown: "↓",
  ArrowLeft: "←",
  ArrowRight: "→",
};

/** A key as it stands on the keyboard. */
export const keyName = (key: string) => SHOWN[key] ?? key;
