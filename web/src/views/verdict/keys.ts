import type { KeyGroup } from "../../app/view";

export const VERDICT_KEYS = {
  where: "Verdict",
  keys: {
    next: ["w", "the next purpose"],
    before: ["W", "the purpose before"],
    findings: ["f", "findings, or scores again"],
    back: ["Escape", "back to the Board"],
  },
} as const satisfies KeyGroup;
