import { Box, Grid } from "@chakra-ui/react";
import { Fragment } from "react";
import type { Chart } from "../../api/client";
import { Mono } from "../../kit/basics";
import { TONES } from "../../kit/LineSample";
import { keyOf } from "../common";

/** Notched rules from 0 to 100, one a category, a notch for each setup. */
export function RuleList({ chart }: { chart: Chart }) {
  const names = chart.series[0]?.labels ?? [];
  return (
    <Grid templateColumns="110px minmax(0, 1fr) auto" gap="16px 14px" alignItems="center" py="10px">
      {names.map((name, j) => (
        <Fragment key={name}>
          <Box color="ink2">{name}</Box>
          <Box position="relative" h="16px">
            <Box position="absolute" left="0" right="0" top="7.5px" h="1px" bg="line" />
            {chart.series.map((s) => (
              <Box
                key={keyOf(s)}
                position="absolute"
                top={s.setup === 0 ? "0" : "3px"}
                h={s.setup === 0 ? "16px" : "10px"}
                w="3px"
                ml="-1.5px"
                bg={TONES[s.setup] ?? "ink"}
                title={`${s.name}: ${s.points[j]?.[0]?.toFixed(1)} %`}
                style={{ left: `${s.points[j]?.[0] ?? 0}%` }}
              />
            ))}
          </Box>
          <Mono textAlign="right" fontSize="12.5px">
            {chart.series.map((s, i) => (
              <Mono
                key={keyOf(s)}
                color={TONES[s.setup] ?? "ink"}
                ml={i ? "10px" : 0}
                display="inline-block"
                minW="44px"
              >
                {s.points[j]?.[0]?.toFixed(1)}
              </Mono>
            ))}
          </Mono>
        </Fragment>
      ))}
    </Grid>
  );
}
