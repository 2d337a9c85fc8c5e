import { Box, Flex, Grid, Text } from "@chakra-ui/react";
import { useState } from "react";
import { useNavigate } from "react-router";
import { useKeys } from "../../app/keys";
import { Failed, Key, Quiet } from "../../kit/basics";
import { Corrections } from "./Corrections";
import { INSTRUMENTS_KEYS } from "./keys";
import { NewCorrection } from "./NewCorrection";
import { OwnMeters } from "./OwnMeters";
import { useInstruments } from "./queries";
import { SimulatedMeters } from "./SimulatedMeters";

/** Meters, their state and their corrections. */
export default function InstrumentsView() {
  const view = useInstruments();
  const go = useNavigate();
  const [add, setAdd] = useState(false);
  useKeys(INSTRUMENTS_KEYS, { add: () => setAdd(true), back: () => (add ? setAdd(false) : go(-1)) });
  if (view.error) return <Failed error={view.error} />;
  if (!view.data) return <Quiet>Loading</Quiet>;
  return (
    <Box maxW="1280px" mx="auto" px="16px" py="12px">
      <Flex align="center" mb="14px">
        <Text as="h1" fontSize="18px" fontWeight="600">
          Instruments
        </Text>
        <Box flex="1" />
        <Text color="ink2">
          back <Key>esc</Key>
        </Text>
      </Flex>
      <Grid gap="30px" templateColumns="minmax(0, 1fr)">
        <OwnMeters view={view.data} add={add} onAdd={setAdd} />
        <SimulatedMeters view={view.data} />
        <Box as="section" aria-label="New correction">
          <Text as="h2" fontWeight="600" fontSize="15px" mb="4px">
            Make a correction on the simulated bench
          </Text>
          <NewCorrection view={view.data} />
        </Box>
        <Box as="section" aria-label="Corrections">
          <Text as="h2" fontWeight="600" fontSize="15px" mb="4px">
            Corrections of working meters
          </Text>
          <Corrections view={view.data} />
        </Box>
      </Grid>
    </Box>
  );
}
