import { Box, Flex, Grid, Table, Text } from "@chakra-ui/react";
import type { Ref } from "react";
import { ApiError, type Experiment, type Sent } from "../api/client";
import { Key, LampButton, Mono, ProblemNote, QuietButton, Wide } from "../kit/basics";
import { useDraft } from "../kit/drafts";
import { Field } from "../kit/field";
import { short } from "../kit/paths";
import { type Confirmed, ReadingFields } from "../kit/ReadingFields";
import { Tick } from "../kit/toggles";
import { ChartPanel } from "../pictures/ChartPanel";

type Done = Sent<"StageDone">;

const decimals = (v: number) => String(v).split(".")[1]?.length ?? 0;

/** What came of it: the sentence, the table, and what the menu map can learn. */
export function Answer({
  experiment,
  busy,
  error,
  onLearn,
}: {
  experiment: Experiment;
  busy: boolean;
  error: Error | null;
  onLearn: () => void;
}) {
  const news = experiment.changes.filter((c) => !c.known);
  // The numbers of a column have as many decimals as that which has most.
  const places = experiment.heads.map((_, i) =>
    Math.max(0, ...experiment.rows.map((r) => (typeof r[i] === "number" ? decimals(r[i]) : 0))),
  );
  return (
    <Box maxW="900px">
      <Text fontSize="16px" data-testid="answer" mb="14px">
        {experiment.sentence}
      </Text>
      {experiment.changes.length > 0 && (
        <Flex align="center" gap="12px" mb="16px" wrap="wrap" data-testid="learn">
          {news.length > 0 && !experiment.applied ? (
            <>
              <LampButton onClick={onLearn} loading={busy}>
                Save to the menu map <Key on>m</Key>
              </LampButton>
              <Text color="ink2">{news.map((c) => c.words).join("; ")}</Text>
            </>
          ) : (
            <Text color="ink3">
              The menu map says so{experiment.applied ? ", from this experiment" : " already"}:{" "}
              {experiment.changes.map((c) => c.words).join("; ")}.
            </Text>
          )}
        </Flex>
      )}
      {experiment.workaround && (
        <Box mb="16px" data-testid="workaround">
          <Text mb="6px">{experiment.workaround}</Text>
          {experiment.applied ? (
            <Text color="ink3">It stands in the recipe of {experiment.setup_name}, for this firmware.</Text>
          ) : (
            <LampButton onClick={onLearn} loading={busy}>
              Save to the recipe <Key on>m</Key>
            </LampButton>
          )}
        </Box>
      )}
      {error && <ProblemNote error={error} />}
      {experiment.rows.length > 0 && (
        <Wide label="What was read">
          <Table.Root aria-label="What was read" w="auto" minW="50%">
            <Table.Header>
              <Table.Row>
                {experiment.heads.map((h, i) => (
                  <Table.ColumnHeader
                    // biome-ignore lint/suspicious/noArrayIndexKey: columns never move
                    key={i}
                    scope="col"
                    whiteSpace="nowrap"
                    textAlign={typeof experiment.rows[0]?.[i] === "number" ? "end" : "start"}
                  >
                    {h}
                  </Table.ColumnHeader>
                ))}
              </Table.Row>
            </Table.Header>
            <Table.Body>
              {experiment.rows.map((row, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: rows never move
                <Table.Row key={i} data-testid="answer-row">
                  {row.map((v, j) => (
                    <Table.Cell
                      // biome-ignore lint/suspicious/noArrayIndexKey: columns never move
                      key={j}
                      textAlign={typeof v === "number" ? "end" : "start"}
                      color={j === 0 ? "ink" : "ink2"}
                    >
                      {typeof v === "number" ? <Mono>{v.toFixed(places[j])}</Mono> : (v ?? "–")}
                    </Table.Cell>
                  ))}
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        </Wide>
      )}
      {experiment.charts.map((c) => (
        <Box key={c.key} mt="20px" maxW="640px">
          <ChartPanel chart={c} name={experiment.setup_name} tables={false} />
        </Box>
      ))}
      <PutBack experiment={experiment} />
      <Text color="ink3" fontSize="12px" mt="18px">
        On {experiment.setup_name}
        {experiment.firmware ? `, firmware ${experiment.firmware}` : ""}, {experiment.created_at.slice(0, 10)}.
      </Text>
    </Box>
  );
}

/** What a person is to enter so that all stands as before. */
export function PutBack({ experiment }: { experiment: Experiment }) {
  if (!experiment.by_hand || experiment.back.length === 0) return null;
  return (
    <Box mt="18px" data-testid="put-back">
      <Text fontWeight="600">Put it back</Text>
      <Box as="ol" pl="24px" listStyleType="decimal">
        {experiment.back.map((w) => (
          <li key={w}>{w}</li>
        ))}
      </Box>
    </Box>
  );
}

/** The step that is next, for a person: what to enter, what to look at, what to read. */
/** What the person saw in the menu during a step. */
interface Said {
  stands: Record<string, string>;
  greyed: string[];
  refused: boolean;
}
const NOTHING_SAID: Said = { stands: {}, greyed: [], refused: false };

export function StageByHand({
  experiment,
  busy,
  error,
  onDone,
  handle,
}: {
  experiment: Experiment;
  busy: boolean;
  error: Error | null;
  onDone: (d: Done) => void;
  handle: Ref<Confirmed>;
}) {
  const stage = experiment.now;
  const draft = useDraft(`looked ${experiment.id} ${experiment.read}`, NOTHING_SAID);
  const { stands, greyed, refused } = draft.value;
  const say = (more: Partial<Said>) => draft.set((old) => ({ ...old, ...more }));
  if (!stage) return null;
  const place = error instanceof ApiError ? (error.problem.place ?? "") : "";
  return (
    <Box data-testid="stage" maxW="560px">
      <Text color="ink3" fontSize="11px">
        Step {experiment.read + 1} of {experiment.stages.length}
      </Text>
      <Text fontSize="16px" fontWeight="600" mb="8px">
        {stage.title}
      </Text>
      {stage.acts.length > 0 ? (
        <>
          <Text color="ink3" fontSize="11px">
            Enter, in this order
          </Text>
          <Box as="ol" pl="24px" listStyleType="decimal" data-testid="acts">
            {stage.acts.map((a) => (
              <li key={a}>{a}</li>
            ))}
          </Box>
          <Box mt="6px">
            <Tick checked={refused} onChange={(refused) => say({ refused })}>
              the menu did not let the last of it be set
            </Tick>
          </Box>
        </>
      ) : (
        <Text color="ink2">Nothing is to be changed.</Text>
      )}
      <ReadingFields
        patches={stage.patches.map((code, i) => ({ code, rgb: stage.rgb[i] ?? [0, 0, 0] }))}
        of={experiment.read}
        busy={busy}
        handle={handle}
        error={error}
        onKeep={(form, texts, sure = false) =>
          onDone({ form, texts, stands, greyed, refused: refused ? stage.paths.slice(-1) : [], sure })
        }
      >
        {stage.look.length > 0 && (
          <Box mt="14px">
            <Text color="ink2" mb="4px">
              Check the menu. Type each value that differs from the one shown here, and tick controls that can't be set.
            </Text>
            <Grid templateColumns="minmax(0, 1fr) 90px 110px" gap="4px 12px" alignItems="center">
              {stage.look.map(([path, value]) => (
                <Look
                  key={path}
                  path={path}
                  value={value}
                  typed={stands[path] ?? ""}
                  wrong={place === `stands.${path}`}
                  greyed={greyed.includes(path)}
                  onType={(v) => say({ stands: { ...stands, [path]: v } })}
                  onGreyed={(on) => say({ greyed: on ? [...greyed, path] : greyed.filter((p) => p !== path) })}
                />
              ))}
            </Grid>
          </Box>
        )}
      </ReadingFields>
    </Box>
  );
}

function Look({
  path,
  value,
  typed,
  wrong,
  greyed,
  onType,
  onGreyed,
}: {
  path: string;
  value: string;
  typed: string;
  wrong: boolean;
  greyed: boolean;
  onType: (v: string) => void;
  onGreyed: (on: boolean) => void;
}) {
  return (
    <>
      <Text title={path}>{short(path)}</Text>
      <Field
        aria-label={`What ${path} shows`}
        aria-invalid={wrong || undefined}
        placeholder={value}
        value={typed}
        h="26px"
        onChange={(e) => onType(e.target.value)}
      />
      <Tick checked={greyed} onChange={onGreyed} name={`${path} cannot be set`}>
        cannot be set
      </Tick>
    </>
  );
}

/** How far it is, while the bench works on it or it stands still. */
function Under({ experiment, onState }: { experiment: Experiment; onState: (s: Sent<"NewState">["state"]) => void }) {
  const { state, read, stages } = experiment;
  const open = state === "working" || state === "paused" || state === "waiting";
  return (
    <Flex gap="8px 14px" align="center" mb="14px" wrap="wrap">
      <Text color="ink2" data-testid="experiment-state">
        {state === "working" ? "at work" : state === "waiting" ? "waits for you" : state === "done" ? "done" : state} ·{" "}
        <Mono>{read}</Mono> of <Mono>{stages.length}</Mono> steps
      </Text>
      {state === "working" && (
        <QuietButton onClick={() => onState("paused")}>
          Pause <Key>p</Key>
        </QuietButton>
      )}
      {state === "paused" && (
        <LampButton onClick={() => onState("working")}>
          Go on <Key on>p</Key>
        </LampButton>
      )}
      {open && <QuietButton onClick={() => onState("stopped")}>End it here</QuietButton>}
      {state === "working" && stages[read] && <Text color="ink3">{stages[read]}</Text>}
    </Flex>
  );
}

/** An experiment's question, its progress, and its errors. */
export function Progress({
  experiment,
  error,
  onState,
}: {
  experiment: Experiment;
  error: Error | null;
  onState: (s: Sent<"NewState">["state"]) => void;
}) {
  return (
    <>
      <Text as="h2" fontSize="18px" fontWeight="600" mb="4px">
        {experiment.title}
      </Text>
      <Under experiment={experiment} onState={onState} />
      {experiment.message && (
        <Text role="alert" color="lamp" mb="12px">
          {experiment.message}
        </Text>
      )}
      {error && <ProblemNote error={error} />}
    </>
  );
}
