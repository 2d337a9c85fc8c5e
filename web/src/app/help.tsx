import { Box, Flex, Text } from "@chakra-ui/react";
import { useState } from "react";
import { Key, QuietButton } from "../kit/basics";
import { Dialog } from "../kit/Dialog";
import { Toggle } from "../kit/toggles";
import { BACK, EVERYWHERE, keyName, RUN } from "./keymap";
import { lettersOn, setLetters } from "./keys";
import { VIEWS } from "./views";

const GROUPS = [EVERYWHERE, RUN, BACK, ...VIEWS.flatMap((v) => v.keys)];

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
          <Box mb="14px">
            <Toggle
              checked={letters}
              onChange={(on) => {
                setLetters(on);
                set(on);
              }}
            >
              Single letters, digits and signs work as shortcuts
            </Toggle>
          </Box>
          <Box columns={{ base: "1", md: "2" }} columnGap="36px">
            {GROUPS.map((group) => (
              <Box key={group.where} breakInside="avoid" pb="18px">
                <Text as="h3" color="ink3" mb="6px" fontWeight="400">
                  {group.where}
                </Text>
                {Object.values(group.keys).map(([key, does]) => (
                  <Flex key={`${key} ${does}`} gap="12px" py="2px">
                    <Box w="60px" flex="none">
                      <Key>{keyName(key)}</Key>
                    </Box>
                    {does}
                  </Flex>
                ))}
              </Box>
            ))}
          </Box>
        </>
      )}
    </Dialog>
  );
}
