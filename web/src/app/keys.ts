import { useEffect, useRef } from "react";

export type Keys = Record<string, (event: KeyboardEvent) => void>;

const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  (target.isContentEditable ||
    (["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName) &&
      !(target instanceof HTMLInputElement && target.type === "range")));

/** Act on plain keys anywhere on the page, except while the person types or holds Ctrl, Alt or Meta. */
export function useKeys(keys: Keys, active = true) {
  const latest = useRef(keys);
  latest.current = keys;
  useEffect(() => {
    if (!active) return;
    const listen = (event: KeyboardEvent) => {
      // An open dialog has the keys to itself, Escape above all.
      if (document.querySelector("dialog[open]")) return;
      if (event.ctrlKey || event.altKey || event.metaKey || event.defaultPrevented) return;
      if (typing(event.target) && event.key !== "Escape") return;
      const act = latest.current[event.key];
      if (act) {
        event.preventDefault();
        act(event);
      }
    };
    window.addEventListener("keydown", listen);
    return () => window.removeEventListener("keydown", listen);
  }, [active]);
}

/** What the help shows; kept beside the handlers' names so that it stays true. */
export const KEY_HELP: { where: string; keys: [string, string][] }[] = [
  {
    where: "Everywhere",
    keys: [
      ["?", "these keys"],
      ["n", "daylight or dim room"],
      ["d", "near black while measuring, and back"],
      ["p", "pause or resume the run"],
      ["Esc", "back, or close"],
    ],
  },
  {
    where: "Board",
    keys: [
      ["↑ ↓ ← →", "walk the cells"],
      ["x", "select or unselect the cell"],
      ["r", "select or unselect its row"],
      ["k", "select or unselect its column"],
      ["1", "select the first pass: what is missing of white, grey and gamut"],
      ["2", "select the full pass: all that is missing or stale"],
      ["a", "select all, or none"],
      ["Enter", "open the plates of a measured cell"],
      ["m", "measure the selected cells, or the next step"],
      ["o", "how the run is made: grid, steps, rests, warm-up"],
      ["g", "all columns, or one group in full"],
      ["s", "sort by the cell's figure, and back"],
      ["/", "filter the rows"],
      ["e", "settings of the row"],
      ["f", "let the meter run free on the row"],
      ["l", "how the row looks"],
      ["c", "compare the row"],
      ["v", "verdict"],
    ],
  },
  {
    where: "Plates",
    keys: [
      ["t", "choose a target"],
      ["o", "overlay another mode, or pin a target"],
      ["l", "how the mode looks"],
      ["← →", "another measurement"],
      ["↑ ↓", "another mode"],
      ["+ − 0", "zoom the chart that has the focus, and back; arrows move it"],
    ],
  },
  {
    where: "Meter running free",
    keys: [
      ["Space", "capture setting and reading"],
      ["← →", "a step of the control down or up"],
    ],
  },
  { where: "Shelf", keys: [["/", "search"]] },
];
