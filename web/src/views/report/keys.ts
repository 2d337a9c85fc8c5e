import type { KeyGroup } from "../../app/view";

export const REPORT_KEYS = {
  where: "Report",
  keys: {
    up: ["ArrowUp", "the finding before; with Shift, move it up"],
    down: ["ArrowDown", "the next finding; with Shift, move it down"],
    edit: ["e", "reword it"],
    drop: ["x", "leave it out of the report, or put it in"],
    chart: ["c", "with or without its chart"],
    undo: ["z", "undo"],
    redo: ["Z", "redo"],
    width: ["v", "preview on a desktop, on a phone, on paper"],
    back: ["Escape", "leave a text; then back to the Board"],
  },
} as const satisfies KeyGroup;
