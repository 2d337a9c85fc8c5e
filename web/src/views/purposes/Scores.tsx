import { Box, Grid, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";
import type { Sent } from "../../api/client";
import { Mono, ProblemNote } from "../../kit/basics";
import { Labelled } from "../../kit/Labelled";
import { NotchedRule } from "../../kit/NotchedRule";
import { useScores } from "./queries";

/** How the setups of a review score for a purpose, as it is written at this moment. */
export function Scores({
  review,
  definition,
  picker,
  quiet = false,
}: {
  review: number | null;
  definition: Sent<"NewPurpose"> | null;
  picker: ReactNode;
  /** Whether what is wrong with the definition is said elsewhere. */
  quiet?: boolean;
}) {
  const scores = useScores(review, definition);
  if (review === null) return <Text color="ink3">Start a review, and its modes are scored here.</Text>;
  return (
    <Box>
      <Labelled label="Scores of">{picker}</Labelled>
      {scores.error && !quiet && (
        <Box mt="8px">
          <ProblemNote error={scores.error} />
        </Box>
      )}
      <Box as="ul" listStyleType="none" mt="8px" data-testid="scores" opacity={scores.error ? 0.5 : 1}>
        {scores.data?.map((m) => (
          <Grid
            as="li"
            key={m.setup}
            templateColumns="minmax(0, 1fr) 34px 84px"
            gap="8px"
            alignItems="center"
            py="5px"
            borderTop="1px solid"
            borderColor="lineSoft"
            title={m.score.value === null ? m.score.reason : undefined}
          >
            <Box minW="0">
              <Text truncate>{m.name}</Text>
              {m.score.value === null && (
                <Text color="ink3" fontSize="11px" truncate>
                  {m.score.reason}
                </Text>
              )}
            </Box>
            <Mono textAlign="right">{m.score.value === null ? "–" : Math.round(m.score.value)}</Mono>
            <NotchedRule points={m.score.value} low={m.score.low} high={m.score.high} width={84} />
          </Grid>
        ))}
      </Box>
    </Box>
  );
}
