/**
 * Every key, by where it works: the name that a view binds to what it does, the key, and what the help says of it. Views
 * bind by name and the help is made of this, so that neither can say what the other does not do.
 */
export const KEYMAP = {
  everywhere: {
    where: "Everywhere",
    keys: {
      help: ["?", "these keys"],
      theme: ["n", "daylight or dim room"],
      dark: ["d", "near black while measuring, and back"],
    },
  },
  run: { where: "While a run is on the bench", keys: { pause: ["p", "pause or resume the run"] } },
  view: { where: "Every view", keys: { back: ["Escape", "back, or close"] } },
  board: {
    where: "Board",
    keys: {
      up: ["ArrowUp", "a row up"],
      down: ["ArrowDown", "a row down"],
      left: ["ArrowLeft", "a cell to the left"],
      right: ["ArrowRight", "a cell to the right"],
      cell: ["x", "select or unselect the cell"],
      row: ["r", "select or unselect its row"],
      column: ["k", "select or unselect its column"],
      first: ["1", "select the first pass: what is missing of white, grey and gamut"],
      full: ["2", "select the full pass: all that is missing or stale"],
      all: ["a", "select all, or none"],
      open: ["Enter", "open the plates of a measured cell"],
      measure: ["m", "measure the selected cells, or the next step"],
      options: ["o", "run options: grid, steps, rests, warm-up"],
      group: ["g", "all columns, or one group in full"],
      sort: ["s", "sort by the cell's figure, and back"],
      filter: ["/", "filter the rows"],
      settings: ["e", "settings of the row"],
      free: ["f", "let the meter run free on the row"],
      look: ["l", "how the row looks"],
      compare: ["c", "compare the row"],
      menu: ["t", "menu map"],
      verdict: ["v", "verdict"],
      back: ["Escape", "unselect, clear the filter, or back to the Shelf"],
    },
  },
  undo: { where: "After settings were changed", keys: { undo: ["u", "take the change back"] } },
  plates: {
    where: "Plates",
    keys: {
      target: ["t", "choose a target"],
      overlay: ["o", "overlay another mode, or pin a target"],
      look: ["l", "how the mode looks"],
      readings: ["r", "what was read of each patch, to read any one again"],
      before: ["ArrowLeft", "the measurement before"],
      after: ["ArrowRight", "the next measurement"],
      above: ["ArrowUp", "the mode above"],
      below: ["ArrowDown", "the mode below"],
      back: ["Escape", "back to the Board"],
    },
  },
  free: {
    where: "Meter running free",
    keys: {
      capture: [" ", "capture setting and reading"],
      less: ["ArrowLeft", "a step of the control down"],
      more: ["ArrowRight", "a step of the control up"],
    },
  },
  menu: {
    where: "Menu map",
    keys: {
      up: ["ArrowUp", "the control above"],
      down: ["ArrowDown", "the control below"],
      correct: ["Enter", "correct the control, or keep what was drawn"],
      lock: ["l", "draw what the control locks"],
      reset: ["r", "draw what the control resets"],
      mark: ["x", "while drawing: mark the control, or unmark it"],
      differ: ["c", "only what setups differ in, or all"],
      filter: ["/", "filter the controls"],
      edit: ["e", "write or paste the menu"],
      back: ["Escape", "leave what is drawn, clear the filter, or back to the Board"],
    },
  },
  instruments: {
    where: "Instruments",
    keys: { add: ["a", "name a meter of your own"], back: ["Escape", "close the form, or back"] },
  },
  targets: {
    where: "Targets",
    keys: { add: ["a", "define a target"], back: ["Escape", "close the form, or back"] },
  },
  hand: { where: "Run by hand", keys: { back: ["Escape", "back to the Board; the list stays open"] } },
  shelf: { where: "Shelf", keys: { search: ["/", "search"], clear: ["Escape", "clear the search"] } },
} as const satisfies Record<string, { where: string; keys: Record<string, readonly [string, string]> }>;

export type Place = keyof typeof KEYMAP;
export type Acts<P extends Place> = Record<keyof (typeof KEYMAP)[P]["keys"], (event: KeyboardEvent) => void>;

/** Keys of a chart that has the focus; it handles them itself. */
export const CHART_KEYS: [string, string][] = [
  ["+ − 0", "zoom the chart that has the focus, and back; arrows move it"],
];

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
