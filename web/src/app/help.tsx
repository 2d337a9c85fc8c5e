import { Box, Flex, Grid, Text } from "@chakra-ui/react";
import { Key, QuietButton } from "../parts/basics";
import { Dialog } from "../parts/Dialog";
import { KEY_HELP } from "./keys";

/** Every key, by where it works. */
export function Help({ close }: { close: () => void }) {
  return (
    <Dialog label="Keys" width="min(720px, 92vw)" onClose={close}>
      {(shut) => (
        <>
          <Flex justify="space-between" align="center" mb="12px">
            <Text fontSize="16px" fontWeight="600">
              Keys
            </Text>
            <QuietButton onClick={shut}>
              Close <Key>esc</Key>
            </QuietButton>
          </Flex>
          <Grid templateColumns={{ base: "1fr", md: "1fr 1fr" }} gap="18px 36px">
            {KEY_HELP.map((group) => (
              <Box key={group.where}>
                <Text color="ink3" mb="6px">
                  {group.where}
                </Text>
                {group.keys.map(([key, does]) => (
                  <Flex key={key} gap="12px" py="2px">
                    <Box w="76px" flex="none">
                      <Key>{key}</Key>
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
