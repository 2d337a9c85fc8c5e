import { Box, Flex, Grid, Text } from "@chakra-ui/react";
import { useState } from "react";
import { Key, QuietButton } from "../parts/basics";
import { Dialog } from "../parts/Dialog";
import { CHART_KEYS, KEYMAP, keyName } from "./keymap";
import { lettersOn, setLetters } from "./keys";

/** Every key, by where it works. */
export function Help({ close }: { close: () => void }) {
  const [letters, set] = useState(lettersOn);
  return (
    <Dialog label="Keys" width="min(760px, 92vw)" onClose={close}>
      {(shut) => (
        <>
          <Flex justify="space-between" align="center" mb="12px" gap="12px">
            <Text as="h2" fontSize="16px" fontWeight="600">
              Keys
            </Text>
            <QuietButton onClick={() => shut()}>
              Close <Key>esc</Key>
            </QuietButton>
          </Flex>
          <Flex as="label" gap="8px" align="center" mb="14px" minH="24px">
            <input
              type="checkbox"
              checked={letters}
              onChange={(e) => {
                setLetters(e.target.checked);
                set(e.target.checked);
              }}
            />
            Letters, digits and signs act as keys by themselves
          </Flex>
          <Grid templateColumns={{ base: "1fr", md: "1fr 1fr" }} gap="18px 36px">
            {Object.entries(KEYMAP).map(([place, group]) => (
              <Box key={place}>
                <Text as="h3" color="ink3" mb="6px" fontWeight="400">
                  {group.where}
                </Text>
                {[...Object.values(group.keys), ...(place === "plates" ? CHART_KEYS : [])].map(([key, does]) => (
                  <Flex key={`${key} ${does}`} gap="12px" py="2px">
                    <Box w="60px" flex="none">
                      <Key>{keyName(key)}</Key>
                    </Box>
                    {does}
                  </Flex>
                ))}
              </Box>
            ))}
          </Grid>
        </>
      )}
    </Dialog>
  );
}
