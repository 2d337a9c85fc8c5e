import { Box, Flex, Grid, Input, Table, Text } from "@chakra-ui/react";
import { type ReactNode, useState } from "react";
import { useAct } from "../../api/act";
import { ApiError, api, from, got, type PurposeView, type RuleView, type Sent } from "../../api/client";
import { LampButton, Mono, ProblemNote, QuietButton, Wide } from "../../kit/basics";
import { problemAt } from "../../kit/FormPanel";
import { Choice } from "../../kit/field";
import { Labelled } from "../../kit/Labelled";
import { NumberField } from "../../kit/NumberField";
import { forgetPurpose } from "../../kit/purpose";
import { Tick } from "../../kit/toggles";
import { useTargets } from "../targets/queries";
import { Scores } from "./Scores";

const TOUCHED = ["purposes", "board", "verdict", "shelf", "tuning", "goals"];

export const definitionOf = (p: PurposeView): Sent<"NewPurpose"> => ({
  title: p.title,
  meaning: p.meaning,
  weights: p.weights,
  core: p.core,
  target: p.target,
  luminance: p.luminance,
  signal: p.signal,
});

/** How a figure becomes points, as people read it: the value that is worth all, the one that is worth half, and nothing. */
export function pointsOf(rule: RuleView): string {
  const ends = [rule.knots[0], rule.knots[rule.knots.length - 1]].filter((k) => k !== undefined);
  const [best, worst] = [...ends].sort((a, b) => b[1] - a[1]);
  if (!best || !worst) return "";
  return `${best[0]} gives ${best[1]}, ${worst[0]} gives ${worst[1]}`;
}

function Head({ weighed }: { weighed: boolean }) {
  return (
    <Table.Header>
      <Table.Row>
        <Table.ColumnHeader scope="col">Figure</Table.ColumnHeader>
        <Table.ColumnHeader scope="col">Points of 100</Table.ColumnHeader>
        <Table.ColumnHeader scope="col" textAlign="end">
          Weight
        </Table.ColumnHeader>
        <Table.ColumnHeader scope="col" pr="0">
          {weighed ? "No score without it" : ""}
        </Table.ColumnHeader>
      </Table.Row>
    </Table.Header>
  );
}

/** What a purpose weighs. */
export function Weights({ purpose, rules, change }: { purpose: PurposeView; rules: RuleView[]; change: () => void }) {
  const weighed = rules
    .filter((r) => purpose.weights[r.figure])
    .sort((a, b) => (purpose.weights[b.figure] ?? 0) - (purpose.weights[a.figure] ?? 0));
  const remove = useAct(
    () => got(api.DELETE("/api/v1/purposes/{purpose}", { params: { path: { purpose: purpose.key } } })),
    TOUCHED,
  );
  return (
    <Box>
      <Flex align="center" gap="8px" mb="2px">
        <Text as="h2" fontWeight="600" fontSize="15px">
          {purpose.title}
        </Text>
        <Box flex="1" />
        {purpose.added && (
          <>
            <QuietButton h="26px" onClick={change}>
              Change
            </QuietButton>
            <QuietButton
              h="26px"
              onClick={() => remove.mutate(undefined, { onSuccess: forgetPurpose })}
              aria-label={`Delete ${purpose.title}`}
            >
              Delete
            </QuietButton>
          </>
        )}
      </Flex>
      <Text color="ink2" mb="8px">
        {purpose.meaning} {purpose.target ? `Judged against ${purpose.target_title}.` : ""}{" "}
        {purpose.luminance != null && (
          <>
            White is set to <Mono>{purpose.luminance}</Mono> cd/m².
          </>
        )}
      </Text>
      {remove.error && <ProblemNote error={remove.error} />}
      <Wide label={`Weights of ${purpose.title}`}>
        <Table.Root aria-label="Weights">
          <Head weighed={false} />
          <Table.Body>
            {weighed.map((r) => (
              <Table.Row key={r.figure}>
                <Table.Cell>{r.title}</Table.Cell>
                <Table.Cell color="ink3" whiteSpace="nowrap">
                  {pointsOf(r)}
                  {r.unit && ` (${r.unit})`}
                </Table.Cell>
                <Table.Cell textAlign="end">
                  <Mono>{purpose.weights[r.figure]}</Mono>
                </Table.Cell>
                <Table.Cell pr="0" color="ink3" whiteSpace="nowrap">
                  {purpose.core.includes(r.figure) ? "no score without it" : ""}
                </Table.Cell>
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
      </Wide>
    </Box>
  );
}

interface Props {
  /** What it begins from. */
  like: PurposeView;
  /** The key of the purpose that is changed; null for a new one. */
  changes: string | null;
  rules: RuleView[];
  review: number | null;
  picker: ReactNode;
  done: (key: string | null) => void;
}

/** Write a purpose: every weight can be moved, and the scores move with it. */
export function PurposeForm({ like, changes, rules, review, picker, done }: Props) {
  const [v, setV] = useState<Sent<"NewPurpose">>(() => ({
    ...definitionOf(like),
    ...(changes === null ? { title: "", meaning: "" } : {}),
  }));
  // The order stays as it was when the form was opened, so that no line runs away from the hand.
  const [order] = useState(() =>
    [...rules].sort((a, b) => (like.weights[b.figure] ?? 0) - (like.weights[a.figure] ?? 0)),
  );
  const targets = useTargets();
  const save = useAct(
    (body: Sent<"NewPurpose">) =>
      changes === null
        ? got(api.POST("/api/v1/purposes", { body }))
        : got(
            api.PUT("/api/v1/purposes/{purpose}", {
              params: { path: { purpose: changes } },
              body,
              ...from(like.version),
            }),
          ),
    TOUCHED,
  );
  const error = problemAt(save.error);
  const place = save.error instanceof ApiError ? (save.error.problem.place ?? "") : "";
  const elsewhere = save.error && !["title", "meaning", "luminance"].includes(place);
  const weigh = (figure: string, weight: number | null) =>
    setV((old) => {
      const weights = { ...old.weights };
      if (weight === null) delete weights[figure];
      else weights[figure] = weight;
      return { ...old, weights };
    });
  const total = Object.values(v.weights).reduce((a, b) => a + (Number.isFinite(b) ? b : 0), 0);
  const against = {
    "": "each setup's own target",
    ...Object.fromEntries(
      (targets.data ?? []).filter((t) => t.id == null && t.signal === v.signal).map((t) => [t.key, t.title]),
    ),
  };
  const whole = Object.values(v.weights).every(Number.isFinite);
  return (
    <form
      data-testid="purpose-form"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate(v, { onSuccess: (p) => done(p.key) });
      }}
    >
      <Grid templateColumns={{ base: "minmax(0, 1fr)", lg: "minmax(0, 1fr) 300px" }} gap="26px" alignItems="start">
        <Box>
          <Grid templateColumns={{ base: "1fr", md: "200px minmax(0, 1fr) 190px 110px" }} gap="10px 14px" mb="10px">
            <Labelled label="Title" error={error("title")}>
              <Input
                h="30px"
                w="100%"
                autoFocus
                value={v.title}
                maxLength={80}
                onChange={(e) => setV({ ...v, title: e.target.value })}
              />
            </Labelled>
            <Labelled label="Description in one line" error={error("meaning")}>
              <Input
                h="30px"
                w="100%"
                value={v.meaning}
                maxLength={200}
                onChange={(e) => setV({ ...v, meaning: e.target.value })}
              />
            </Labelled>
            <Labelled label="Judged against">
              <Choice
                w="100%"
                h="30px"
                value={v.target ?? ""}
                choices={against as Record<string, string>}
                onChange={(target) => setV({ ...v, target })}
              />
            </Labelled>
            <Labelled label="White, cd/m²" error={error("luminance")}>
              <NumberField
                value={v.luminance ?? null}
                min={1}
                max={10000}
                h="30px"
                placeholder="any"
                onChange={(luminance) => setV({ ...v, luminance })}
              />
            </Labelled>
          </Grid>
          <Wide label="Weights">
            <Table.Root aria-label="Weights">
              <Head weighed />
              <Table.Body>
                {order.map((r) => {
                  const weight = v.weights[r.figure] ?? null;
                  return (
                    <Table.Row key={r.figure}>
                      <Table.Cell color={weight ? "ink" : "ink3"}>{r.title}</Table.Cell>
                      <Table.Cell color="ink3" whiteSpace="nowrap">
                        {pointsOf(r)}
                        {r.unit && ` (${r.unit})`}
                      </Table.Cell>
                      <Table.Cell w="86px">
                        <NumberField
                          name={`Weight of ${r.title}`}
                          value={weight}
                          min={0}
                          max={1000}
                          step={1}
                          h="26px"
                          textAlign="right"
                          onChange={(w) => weigh(r.figure, w)}
                        />
                      </Table.Cell>
                      <Table.Cell pr="0">
                        <Tick
                          checked={(v.core ?? []).includes(r.figure)}
                          name={`No score without ${r.title}`}
                          onChange={(on) =>
                            setV((old) => ({
                              ...old,
                              core: on
                                ? [...(old.core ?? []), r.figure]
                                : (old.core ?? []).filter((f) => f !== r.figure),
                            }))
                          }
                        >
                          {""}
                        </Tick>
                      </Table.Cell>
                    </Table.Row>
                  );
                })}
              </Table.Body>
            </Table.Root>
          </Wide>
        </Box>
        <Box position={{ lg: "sticky" }} top="12px">
          <Scores review={review} definition={whole ? v : null} picker={picker} quiet={Boolean(elsewhere)} />
          <Text color="ink3" mt="8px">
            Weights add up to <Mono>{Number(total.toFixed(2))}</Mono>; only their shares count.
          </Text>
          {elsewhere && (
            <Box mt="10px">
              <ProblemNote error={save.error} />
            </Box>
          )}
          <Flex gap="8px" mt="14px">
            <LampButton type="submit" loading={save.isPending}>
              {changes === null ? "Save the purpose" : "Save"}
            </LampButton>
            <QuietButton onClick={() => done(null)}>Leave it</QuietButton>
          </Flex>
        </Box>
      </Grid>
    </form>
  );
}
