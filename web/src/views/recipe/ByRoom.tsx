import { Box, Text } from "@chakra-ui/react";
import type { Recipe } from "../../api/client";

/** Which value of the luminance control suits which room and purpose, one line each. */
export function ByRoom({ control, settings }: { control: string; settings: Recipe["by_room"] }) {
  if (settings.length === 0) return null;
  return (
    <Box mt="12px" data-testid="by-the-room">
      <Text color="ink2">{control.replaceAll(" > ", " › ")} by room</Text>
      <Box as="ul" listStyleType="none">
        {settings.map((s) => (
          <Text as="li" key={s.wanted_cd_m2} color={s.in_reach ? undefined : "ink3"}>
            {s.words}
          </Text>
        ))}
      </Box>
    </Box>
  );
}
