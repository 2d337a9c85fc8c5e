import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import { useAct } from "../../api/act";
import { ApiError, api, got } from "../../api/client";
import { LampButton, ProblemNote, QuietButton } from "../../kit/basics";
import { useEditions } from "./queries";

const UNSAVED = {
  type: "urn:lumenar:unsaved",
  title: "Not published",
  status: 409,
  detail:
    "What you typed could not be saved, so nothing was published. Look at the top of the report, then publish again.",
};

interface Props {
  review: number;
  gaps: string[];
  /** What has to be done before: what was typed is saved. False if that did not work; then nothing is published. */
  ready?: () => Promise<boolean>;
}

/** Publishing the next edition, with what is missing in it, and the editions that were published. */
export function Publish({ review, gaps, ready }: Props) {
  const editions = useEditions(review);
  const publish = useAct(async () => {
    if (ready && !(await ready())) throw new ApiError(UNSAVED);
    return got(api.POST("/api/v1/reviews/{review}/editions", { params: { path: { review } } }));
  }, ["editions", "shelf", "board", "report"]);
  return (
    <Box as="section" aria-label="Publication">
      <Text as="h2" fontWeight="600" fontSize="15px" mb="6px">
        Publication
      </Text>
      <Text color="ink2">Before publishing; what is missing will be printed in the report:</Text>
      <Box as="ul" pl="18px" my="6px" color="ink2" listStyleType="square">
        {gaps.map((gap) => (
          <li key={gap}>{gap}</li>
        ))}
      </Box>
      <LampButton mt="6px" onClick={() => publish.mutate()} loading={publish.isPending} data-testid="publish">
        Publish edition {(editions.data?.[0]?.number ?? 0) + 1}
      </LampButton>
      {publish.error && (
        <Box mt="10px">
          <ProblemNote error={publish.error} />
        </Box>
      )}
      {(editions.data?.length ?? 0) > 0 && (
        <Text mt="14px">
          <chakra.a href="/published/" textDecoration="underline" textUnderlineOffset="3px">
            All published reports
          </chakra.a>
        </Text>
      )}
      <Box as="ul" listStyleType="none" mt="8px" data-testid="editions">
        {editions.data?.map((e) => (
          <Flex
            as="li"
            key={e.number}
            gap="14px"
            align="center"
            py="7px"
            borderTop="1px solid"
            borderColor="lineSoft"
            wrap="wrap"
          >
            <Text fontWeight="500">Edition {e.number}</Text>
            <Text color="ink3">
              {new Date(e.published_at).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" })}
            </Text>
            <Box flex="1" />
            <QuietButton asChild>
              <a href={e.address}>Report</a>
            </QuietButton>
            <QuietButton asChild>
              <a href={e.package}>Data package</a>
            </QuietButton>
          </Flex>
        ))}
      </Box>
    </Box>
  );
}
