import { Box, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";
import type { ExperimentCost } from "../../api/client";
import { LampButton, Mono, ProblemNote } from "../../kit/basics";
import { duration } from "../bench/BenchBar";

const MOST = 16;

interface Props {
  /** What is still wanting before anything can be asked, empty where nothing is. */
  wanting: string;
  cost: { data?: ExperimentCost; error: Error | null };
  /** Who does what. */
  who: ReactNode;
  busy: boolean;
  error: Error | null;
  onStart: () => void;
}

/** What an experiment will take, and its beginning. */
export function CostOf({ wanting, cost, who, busy, error, onStart }: Props) {
  const { data } = cost;
  return (
    <Box data-testid="cost">
      {wanting ? (
        <Text color="ink2">{wanting}</Text>
      ) : cost.error ? (
        <Text color="ink2" role="alert">
          {cost.error.message}
        </Text>
      ) : data ? (
        <>
          <Text as="h2" fontSize="16px" fontWeight="600">
            {data.title}
          </Text>
          <Text color="ink2">
            <Mono>{data.stages.length}</Mono> steps, <Mono>{data.readings}</Mono> readings
            {data.looks > 0 && (
              <>
                , <Mono>{data.looks}</Mono> looks at the menu
              </>
            )}
            , about <Mono>{duration(data.seconds)}</Mono>. {who}; at the end all is put back.
          </Text>
          {data.notes.map((n) => (
            <Text key={n} color="ink2">
              {n}
            </Text>
          ))}
          <LampButton mt="12px" onClick={onStart} loading={busy} data-testid="experiment-start">
            Start
          </LampButton>
          <Box as="ol" color="ink3" mt="16px" pl="24px" fontSize="12.5px" listStyleType="decimal">
            {data.stages.slice(0, MOST).map((s, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: the same step comes again and again
              <li key={i}>{s}</li>
            ))}
            {data.stages.length > MOST && <li>and {data.stages.length - MOST} more</li>}
          </Box>
        </>
      ) : null}
      {error && (
        <Box mt="12px">
          <ProblemNote error={error} />
        </Box>
      )}
    </Box>
  );
}
