import { Box, chakra, Flex, Grid, Table, Tabs, Text } from "@chakra-ui/react";
import { useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import type { ModeScore, PurposeVerdict } from "../../api/client";
import { useKeys, useTitle } from "../../app/keys";
import { Failed, Key, Mono, Quiet, Unseen, Wide } from "../../kit/basics";
import { Choice } from "../../kit/field";
import { NotchedRule } from "../../kit/NotchedRule";
import { judgeFor, midSentence, nextPurpose, usePurpose } from "../../kit/purpose";
import { useBoard } from "../board/queries";
import { ByRoom } from "../recipe/ByRoom";
import { Findings } from "./Findings";
import { VERDICT_KEYS } from "./keys";
import { Publish } from "./Publish";
import { useFirmwareChanges, useVerdict } from "./queries";

const A = chakra(Link);

const interval = (m: ModeScore) =>
  m.score.low == null || m.score.high == null ? "" : `${Math.round(m.score.low)} to ${Math.round(m.score.high)}`;

function ScoreList({
  modes,
  chosen,
  onChoose,
}: {
  modes: ModeScore[];
  chosen: number;
  onChoose: (setup: number) => void;
}) {
  return (
    <Box as="ul" listStyleType="none">
      {modes.map((m) => (
        <Box as="li" key={m.setup} borderTop="1px solid" borderColor="lineSoft">
          <chakra.button
            type="button"
            onClick={() => onChoose(m.setup)}
            aria-pressed={m.setup === chosen}
            w="100%"
            display="grid"
            gridTemplateColumns={{ base: "minmax(0, 1fr) 92px", sm: "minmax(0, 1fr) 96px 124px" }}
            alignItems="center"
            gap="10px"
            py="8px"
            px="10px"
            textAlign="left"
            cursor="pointer"
            bg={m.setup === chosen ? "raised" : undefined}
            _hover={{ bg: "raised" }}
          >
            <Box>
              <Text fontWeight="600">{m.name}</Text>
              <Text color="ink3" fontSize="11px">
                {m.target_title}
                {m.shipped ? " · as shipped" : ""}
                {m.tied_with_best ? " · tie with the best" : ""}
              </Text>
            </Box>
            <Box textAlign="right">
              <Mono fontSize="17px" fontWeight="500">
                {m.score.value === null ? "–" : Math.round(m.score.value)}
              </Mono>
              <Mono fontSize="11px" color="ink3">
                {" "}
                {interval(m)}
              </Mono>
            </Box>
            <NotchedRule points={m.score.value} low={m.score.low} high={m.score.high} width={120} />
          </chakra.button>
        </Box>
      ))}
    </Box>
  );
}

/** A score taken apart: figure, value, points, weight, loss, and the plates it comes from. */
function Points({ mode, review }: { mode: ModeScore; review: number }) {
  const { score } = mode;
  return (
    <Box>
      <Text as="h2" fontWeight="600" mb="2px">
        Where the points went: {mode.name}
      </Text>
      <Text color="ink2" mb="6px">
        {score.value === null
          ? `No score: ${score.reason}.`
          : `${Math.round(100 * score.coverage)} % of what this purpose needs is measured. ${(100 - score.value).toFixed(1)} points lost.`}
      </Text>
      <Wide label="Where the points went">
        <Table.Root w="100%" data-testid="points" aria-label="Where the points went">
          <Table.Header>
            <Table.Row>
              <Table.ColumnHeader scope="col">Figure</Table.ColumnHeader>
              <Table.ColumnHeader scope="col" textAlign="end">
                Value
              </Table.ColumnHeader>
              <Table.ColumnHeader scope="col" textAlign="end">
                Points
              </Table.ColumnHeader>
              <Table.Cell />
              <Table.ColumnHeader scope="col" textAlign="end">
                Weight
              </Table.ColumnHeader>
              <Table.ColumnHeader scope="col" textAlign="end" pr="0">
                Lost
              </Table.ColumnHeader>
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {score.lines.map((line) => (
              <Table.Row key={line.figure}>
                <Table.Cell>
                  {line.value === null ? (
                    <Text color="ink3">{line.title}</Text>
                  ) : (
                    <A
                      to={`/review/${review}/plates/${mode.setup}/${line.measurement}`}
                      textDecoration="underline"
                      textUnderlineOffset="3px"
                      textDecorationColor="line"
                    >
                      {line.title}
                    </A>
                  )}
                </Table.Cell>
                <Table.Cell textAlign="end" whiteSpace="nowrap">
                  <Mono>{line.text}</Mono>{" "}
                  {line.value !== null && (
                    <chakra.span color="ink3" display="inline-block" minW="22px" textAlign="left">
                      {line.unit}
                    </chakra.span>
                  )}
                </Table.Cell>
                <Table.Cell textAlign="end">
                  <Mono>{line.points === null ? "–" : Math.round(line.points)}</Mono>
                </Table.Cell>
                <Table.Cell>
                  <NotchedRule points={line.points} width={64} />
                </Table.Cell>
                <Table.Cell textAlign="end">
                  <Mono>{line.weight}</Mono>
                </Table.Cell>
                <Table.Cell textAlign="end" pr="0">
                  <Mono>{line.loss === null ? "–" : line.loss < 0.05 ? "0" : `−${line.loss.toFixed(1)}`}</Mono>
                </Table.Cell>
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
      </Wide>
    </Box>
  );
}

function RecipePart({ purpose, review }: { purpose: PurposeVerdict; review: number }) {
  const recipe = purpose.recipe;
  if (!recipe)
    return <Quiet>Settings are recommended once one mode has a score. Measure the first pass on the Board.</Quiet>;
  return (
    <Box data-testid="recipe">
      <Text as="h2" fontWeight="600" fontSize="15px" mb="6px">
        Settings for {midSentence(purpose.title)}: {recipe.name}
      </Text>
      <Text mb="6px" color="ink2">
        <A to={`/review/${review}/recipe/${recipe.setup}`} textDecoration="underline" textUnderlineOffset="3px">
          As a recipe
        </A>{" "}
        from a factory reset, to write to, to print and to replay ·{" "}
        <A to={`/review/${review}/tuning?setup=${recipe.setup}`} textDecoration="underline" textUnderlineOffset="3px">
          tune it
        </A>
      </Text>
      {recipe.shares && (
        <Text mb="6px" data-testid="shares">
          {recipe.shares}
        </Text>
      )}
      <Table.Root w="100%" aria-label="Recommended settings">
        <Table.Body>
          <Table.Row>
            <Table.Cell w="24px" color="ink3">
              <Mono>1</Mono>
            </Table.Cell>
            <Table.Cell w="210px">Reset the display</Table.Cell>
            <Table.Cell w="86px" />
            <Table.Cell color="ink2" pr="0">
              to factory settings, so that no earlier setting remains
            </Table.Cell>
          </Table.Row>
          {recipe.steps.map((step, i) => (
            <Table.Row key={`${step.kind} ${step.path}`} data-testid="recommended">
              <Table.Cell w="24px" color="ink3">
                <Mono>{i + 2}</Mono>
              </Table.Cell>
              <Table.Cell w="210px">{step.path.replaceAll(">", "›")}</Table.Cell>
              <Table.Cell w="86px">
                <Mono fontWeight="500">{step.said || step.value}</Mono>
              </Table.Cell>
              <Table.Cell color="ink2" pr="0">
                {step.why}{" "}
                {step.kind !== "set" && (
                  <chakra.span
                    border="1px solid"
                    borderColor="line"
                    borderRadius="3px"
                    px="5px"
                    fontSize="11px"
                    color="ink3"
                  >
                    {step.kind.replace("-", " ")}
                  </chakra.span>
                )}{" "}
                {step.evidence && (
                  <A
                    to={`/review/${review}/plates/${recipe.setup}/${step.evidence}`}
                    textDecoration="underline"
                    textUnderlineOffset="3px"
                    textDecorationColor="line"
                    whiteSpace="nowrap"
                  >
                    evidence
                  </A>
                )}
              </Table.Cell>
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
      <ByRoom control={recipe.luminance} settings={recipe.by_room} />
      {recipe.alternatives.map((words) => (
        <Text key={words} mt="4px" data-testid="alternative">
          {words}
        </Text>
      ))}
      {recipe.text.map((words) => (
        <Text key={words} mt="4px">
          {words}
        </Text>
      ))}
      {recipe.caveats.map((caveat) => (
        <Text key={caveat} color="ink3" mt="4px">
          {caveat}
        </Text>
      ))}
    </Box>
  );
}

/** What the present firmware of each sample changed, as far as it was read with both. */
function Firmware({ review }: { review: number }) {
  const changes = useFirmwareChanges(review);
  if (!changes.data || changes.data.length === 0) return null;
  return (
    <Box as="section" aria-label="Firmware" mt="26px" data-testid="firmware">
      {changes.data.map((c) => (
        <Box key={c.sample} mb="12px">
          <Text as="h2" fontWeight="600" fontSize="15px" mb="6px">
            Firmware <Mono>{c.before}</Mono> → <Mono>{c.after}</Mono>
            {changes.data.length > 1 ? `, sample ${c.sample}` : ""}
          </Text>
          {c.figures.length === 0 && (
            <Text color="ink2">Nothing was read with both yet: measure again what was read before.</Text>
          )}
          {c.sentences.map((s) => (
            <Text key={s} mb="4px">
              {s}
            </Text>
          ))}
        </Box>
      ))}
    </Box>
  );
}

/** Scores with their breakdown, the recommended settings, and publication. */
export default function VerdictView() {
  const review = Number(useParams().review);
  const go = useNavigate();
  const verdict = useVerdict(review);
  const board = useBoard(review);
  const [chosen, setChosen] = useState<number | null>(null);
  const wanted = usePurpose();
  const [search, setSearch] = useSearchParams();
  const tab = search.get("tab") === "findings" ? "findings" : "scores";
  const show = (wantedTab: string) => setSearch(wantedTab === "findings" ? { tab: "findings" } : {}, { replace: true });
  const move = (by: number) =>
    nextPurpose(
      (verdict.data?.purposes ?? []).map((p) => ({ key: p.purpose })),
      by,
    );
  useKeys(VERDICT_KEYS, {
    next: () => move(1),
    before: () => move(-1),
    findings: () => show(tab === "findings" ? "scores" : "findings"),
    back: () => go(`/review/${review}`),
  });
  useTitle(board.data && `Verdict, ${board.data.review.name}`);
  if (verdict.error) return <Failed error={verdict.error} />;
  const purpose = verdict.data?.purposes.find((p) => p.purpose === wanted) ?? verdict.data?.purposes[0];
  if (!verdict.data || !purpose) return <Quiet>Loading</Quiet>;
  const mode = purpose.modes.find((m) => m.setup === chosen) ?? purpose.modes[0];
  return (
    <Box>
      <Tabs.Root value={tab} onValueChange={(e) => show(e.value)} lazyMount unmountOnExit>
        <Flex align="center" px="16px" borderBottom="1px solid" borderColor="lineSoft">
          <Unseen as="h1">Verdict: {tab === "findings" ? "findings" : purpose.title}</Unseen>
          <Tabs.List flex="1" borderBottom="none">
            <Tabs.Trigger value="scores">Scores and settings</Tabs.Trigger>
            <Tabs.Trigger value="findings">
              Findings <Key>f</Key>
            </Tabs.Trigger>
          </Tabs.List>
          <A to={`/review/${review}`} color="ink2">
            Board <Key>esc</Key>
          </A>
        </Flex>
        <Tabs.Content value="findings" p="0">
          <Findings review={review} />
        </Tabs.Content>
        <Tabs.Content value="scores" p="0">
          <Flex
            align="center"
            px="16px"
            py="11px"
            gap="4px 12px"
            wrap="wrap"
            borderBottom="1px solid"
            borderColor="lineSoft"
          >
            <Choice
              aria-label="Purpose"
              w="190px"
              h="28px"
              fontWeight="600"
              value={purpose.purpose}
              choices={Object.fromEntries(verdict.data.purposes.map((p) => [p.purpose, p.title]))}
              onChange={judgeFor}
            />
            <Key>w</Key>
            <Text color="ink2">
              {purpose.meaning}
              {purpose.judged_by ? ` Judged against ${purpose.judged_by}.` : ""}
            </Text>
            <Text color="ink3">
              <A to={`/purposes?review=${review}`} textDecoration="underline dotted">
                weights
              </A>{" "}
              · rubric {verdict.data.rubric} ·{" "}
              <Mono title={verdict.data.rubric_hash}>{verdict.data.rubric_hash.slice(0, 8)}</Mono>
            </Text>
          </Flex>
          <Grid templateColumns={{ base: "minmax(0, 1fr)", lg: "minmax(0, 5fr) minmax(0, 7fr)" }} alignItems="start">
            <Box px="16px" py="12px" borderRight={{ lg: "1px solid" }} borderColor={{ lg: "lineSoft" }}>
              <ScoreList modes={purpose.modes} chosen={mode?.setup ?? 0} onChoose={setChosen} />
              <Firmware review={review} />
              <Box mt="26px">
                <Publish review={review} gaps={verdict.data.gaps} />
              </Box>
            </Box>
            <Box px="20px" py="12px">
              {mode && <Points mode={mode} review={review} />}
              <Box mt="26px">
                <RecipePart purpose={purpose} review={review} />
              </Box>
            </Box>
          </Grid>
        </Tabs.Content>
      </Tabs.Root>
    </Box>
  );
}
