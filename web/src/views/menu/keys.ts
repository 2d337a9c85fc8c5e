import type { KeyGroup } from "../../app/view";

export const MENU_KEYS = {
  where: "Menu map",
  keys: {
    up: ["ArrowUp", "the control above"],
    down: ["ArrowDown", "the control below"],
    correct: ["Enter", "edit the control, or save the drawn links"],
    lock: ["l", "draw what the control locks"],
    reset: ["r", "draw what the control resets"],
    mark: ["x", "while drawing: mark the control, or unmark it"],
    differ: ["c", "only controls in which setups differ, or all"],
    find: ["f", "test what the control does, locks or affects"],
    filter: ["/", "filter the controls"],
    edit: ["e", "write or paste the menu"],
    back: ["Escape", "discard the drawn links, clear the filter, or back to the Board"],
  },
} as const satisfies KeyGroup;
