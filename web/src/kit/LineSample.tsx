import { chakra } from "@chakra-ui/react";

/** Setups are told apart by line style and label first, then by colour. */
export const TONES = ["ink", "setup1", "setup2", "setup3"];
export const DASHES = [undefined, "6 4", "2 3", "8 3 2 3"];

/** A short piece of the line that stands for a setup. */
export function LineSample({ index }: { index: number }) {
  return (
    <svg width="22" height="6" aria-hidden="true">
      <chakra.line
        x1={0}
        x2={22}
        y1={3}
        y2={3}
        stroke={TONES[index] ?? "ink"}
        strokeWidth={2}
        strokeDasharray={DASHES[index]}
      />
    </svg>
  );
}
