import type { KeyGroup } from "../../app/view";

export const BOARD_KEYS = {
  where: "Board",
  keys: {
    up: ["ArrowUp", "a row up"],
    down: ["ArrowDown", "a row down"],
    left: ["ArrowLeft", "a cell to the left"],
    right: ["ArrowRight", "a cell to the right"],
    cell: ["x", "select or unselect the cell"],
    row: ["r", "select or unselect its row"],
    column: ["k", "select or unselect its column"],
    first: ["1", "select the first pass: white, grey and gamut where missing"],
    full: ["2", "select the full pass: everything missing or stale"],
    needed: ["3", "select what the purpose still needs"],
    all: ["a", "select all, or none"],
    open: ["Enter", "open the charts of a measured cell"],
    measure: ["m", "measure the selected cells, or the next step"],
    options: ["o", "run options: grid, steps, rests, warm-up"],
    group: ["g", "all columns, or one group in full"],
    purpose: ["w", "score the rows for the next purpose"],
    before: ["W", "score the rows for the previous purpose"],
    sort: ["s", "sort by the cell's figure, or undo sorting"],
    filter: ["/", "filter the rows"],
    settings: ["e", "settings of the row"],
    free: ["f", "measure continuously (free run) on the row"],
    look: ["l", "how the row looks"],
    compare: ["c", "compare the row"],
    tune: ["b", "find the best settings of the row"],
    recipe: ["i", "the row as a recipe, to print and to replay"],
    menu: ["t", "menu map"],
    verdict: ["v", "verdict"],
    back: ["Escape", "unselect, clear the filter, or back to the Shelf"],
  },
} as const satisfies KeyGroup;

export const UNDO_KEYS = {
  where: "After settings were changed",
  keys: {
    undo: ["u", "take the change back"],
  },
} as const satisfies KeyGroup;

export const FREE_KEYS = {
  where: "Meter running free",
  keys: {
    capture: [" ", "capture setting and reading"],
    less: ["ArrowLeft", "a step of the control down"],
    more: ["ArrowRight", "a step of the control up"],
  },
} as const satisfies KeyGroup;
