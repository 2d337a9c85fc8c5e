import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import { Link } from "react-router";
import type { FindingView, ObservedBehaviour } from "../../api/client";
import { Failed, Mono, Quiet } from "../../kit/basics";
import { useFindings } from "./queries";

const A = chakra(Link);

const FORMAT = new Intl.NumberFormat("en-GB", { maximumSignificantDigits: 3 });

const written = (value: number) => FORMAT.format(value).replace("-", "−");

/** How much of a fault it is, in a word. */
const weight = (severity: number) => (severity >= 2 ? "strong" : severity >= 1 ? "clear" : "slight");

function Evidence({ finding, review }: { finding: FindingView; review: number }) {
  return (
    <Flex as="ul" listStyleType="none" wrap="wrap" gap="2px 18px" mt="4px" aria-label="Evidence">
      {finding.evidence.map((e) => (
        <li key={e.setup}>
          <A
            to={`/review/${review}/plates/${e.setup}/${e.measurement}${e.chart ? `?chart=${e.chart}` : ""}`}
            textDecoration="underline"
            textUnderlineOffset="3px"
            textDecorationColor="line"
            display="inline-flex"
            alignItems="center"
            minH="24px"
            gap="6px"
          >
            {e.name}{" "}
            <Mono fontSize="12px">
              {written(e.value)} {finding.unit}
            </Mono>
            {e.low < e.high && (
              <Mono fontSize="11px" color="ink3">
                {written(e.low)} to {written(e.high)}
              </Mono>
            )}
          </A>
        </li>
      ))}
    </Flex>
  );
}

function Group({ title, about, of, review }: { title: string; about: string; of: FindingView[]; review: number }) {
  if (of.length === 0) return null;
  return (
    <Box as="section" aria-label={title} mb="26px">
      <Text as="h2" fontWeight="600" fontSize="15px">
        {title}
      </Text>
      <Text color="ink3" mb="6px">
        {about}
      </Text>
      <Box as="ol" listStyleType="none">
        {of.map((f) => (
          <Box as="li" key={f.key} py="10px" borderTop="1px solid" borderColor="lineSoft" data-testid="finding">
            <Flex gap="14px" align="baseline">
              <Text flex="1" fontSize="15px">
                {f.sentence}
              </Text>
              {f.kind === "fault" && (
                <Text color="ink3" whiteSpace="nowrap">
                  {weight(f.severity)}
                </Text>
              )}
            </Flex>
            {f.advice && (
              <Text color="ink2" mt="2px">
                {f.advice}
              </Text>
            )}
            <Evidence finding={f} review={review} />
          </Box>
        ))}
      </Box>
    </Box>
  );
}

/** What experiments, photos, firmware comparisons and tunings showed. */
function Behaviour({ of }: { of: readonly ObservedBehaviour[] }) {
  if (of.length === 0) return null;
  return (
    <Box as="section" aria-label="Behaviour" mb="26px">
      <Text as="h2" fontWeight="600" fontSize="15px">
        Behaviour
      </Text>
      <Text color="ink3" mb="6px">
        What experiments, photos, firmware comparisons and tunings showed.
      </Text>
      {of.map((b) => (
        <Box key={`${b.title} ${b.how}`} py="10px" borderTop="1px solid" borderColor="lineSoft" data-testid="behaviour">
          <Text as="h3" fontWeight="500">
            {b.title}
          </Text>
          {b.lines.map((line) => (
            <Text key={line}>{line}</Text>
          ))}
          <Text color="ink3">{b.how}</Text>
        </Box>
      ))}
    </Box>
  );
}

/** Findings of a display, each with links to its charts. */
export function Findings({ review }: { review: number }) {
  const findings = useFindings(review);
  if (findings.error) return <Failed error={findings.error} />;
  if (!findings.data) return <Quiet>Loading</Quiet>;
  const { findings: found, behaviour } = findings.data;
  const faults = found.filter((f) => f.kind === "fault");
  if (found.length + behaviour.length === 0)
    return (
      <Quiet>
        Nothing certain was found yet. Findings appear once modes are measured: start with the first pass on the Board.
      </Quiet>
    );
  return (
    <Box maxW="900px" px="16px" py="14px">
      <Group
        title="Faults for the report"
        about="The most visible ones, at most two on a subject. The evidence shows each value with its 95 % interval."
        of={faults.filter((f) => f.reported)}
        review={review}
      />
      <Group
        title="Strengths"
        about="Errors too small to see."
        of={found.filter((f) => f.kind === "strength")}
        review={review}
      />
      <Group
        title="Modes compared"
        about="What the modes show side by side, as shipped."
        of={found.filter((f) => f.kind === "note")}
        review={review}
      />
      <Group
        title="More faults"
        about="Certain, but less visible than those above, or a third on the same subject."
        of={faults.filter((f) => !f.reported)}
        review={review}
      />
      <Behaviour of={behaviour} />
    </Box>
  );
}
