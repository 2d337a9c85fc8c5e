import { Box, chakra, Text, Textarea } from "@chakra-ui/react";
import type { ComponentProps } from "react";

const FORM = `Picture
  Light 0..100 = 80 (luminance)
  Tone 1.8 2.0 [2.2] 2.4
  Blue filter off* 1 2 3
  Warmth 13 notches
  White 10 50 100 x Red Green -9..9
Power low normal* high
Power = low locks Light
Power resets everything`;

export const Area = (props: ComponentProps<typeof Textarea>) => (
  <Textarea
    fontFamily="mono"
    fontSize="12.5px"
    spellCheck={false}
    autoComplete="off"
    _placeholder={{ color: "ink3" }}
    {...props}
  />
);

/** How controls are written, beside the field they are written in. */
export function HowToWrite() {
  return (
    <Box color="ink2" fontSize="12px">
      <Text>A line for each entry, indented under its head:</Text>
      <chakra.pre fontFamily="mono" fontSize="11.5px" my="6px" whiteSpace="pre" overflowX="auto">
        {FORM}
      </chakra.pre>
      <Text color="ink3">
        * or [ ] marks the default; | parts values of several words; a colon ends a name. At the end of a line:
        (luminance), (white), (host), (input), (all modes), (this signal), (this mode), (no effect on accuracy), (only
        while SDR shows), (before HDR is sent); in words (promise: …), (note: …), (evidence: …), (route: …), (only: …).
      </Text>
    </Box>
  );
}
