import { Box, chakra, Flex, Grid, Text } from "@chakra-ui/react";
import { useMemo, useRef, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import type { ConditionsResult, Experiment } from "../../api/client";
import { useKeys, useTitle } from "../../app/keys";
import { Failed, Key, Quiet, QuietButton } from "../../kit/basics";
import type { Confirmed } from "../../kit/ReadingFields";
import { ChartPanel } from "../../pictures/ChartPanel";
import { useStart, useSteps } from "../../session/acts";
import { Progress, PutBack, StageByHand } from "../../session/Experiment";
import { SessionHead } from "../../session/SessionHead";
import { useBoard } from "../board/queries";
import { useExperiment, useExperiments } from "../findout/queries";
import { AskConditions } from "./AskConditions";
import { EffectGrid } from "./EffectGrid";
import { CONDITIONS_KEYS } from "./keys";
import { useConditions } from "./queries";

const A = chakra(Link);
const MOST = 3;
const KEPT = { kept: "ink", "not kept": "lamp", "not decidable": "ink2", "not told": "ink3" } as Record<string, string>;

/** Which features matter, what they promise, and what of it is so. */
function Said({ result }: { result: ConditionsResult }) {
  return (
    <Box>
      {result.promises.length > 0 && (
        <Box>
          <Text color="ink3" fontSize="11px">
            Promises
          </Text>
          {result.promises.map((p) => (
            <Box key={`${p.path} ${p.text}`} mb="6px" data-testid="promise">
              <Text>
                {p.path.split(" > ").at(-1)}, “{p.text}”:{" "}
                <Text as="span" color={KEPT[p.kept]} fontWeight="600">
                  {p.kept}
                </Text>
              </Text>
              <Text color="ink2" fontSize="12.5px">
                {p.why}
              </Text>
            </Box>
          ))}
        </Box>
      )}
      {result.together.length > 0 && (
        <Box mt="14px">
          <Text color="ink3" fontSize="11px">
            Together
          </Text>
          {result.together.map((t) => (
            <Text key={t} fontSize="12.5px">
              {t}
            </Text>
          ))}
        </Box>
      )}
      {result.drift.map((d) => (
        <Text key={d} color="ink3" fontSize="12px" mt="8px">
          {d}
        </Text>
      ))}
    </Box>
  );
}

/** What was read so far: the grid, and the chosen states' greys beside it. */
function Shown({
  result,
  keys,
}: {
  result: ConditionsResult;
  keys: { at: string; chosen: string[]; onAt: (k: string) => void; onChoose: (k: string) => void };
}) {
  const { chosen } = keys;
  const chart = useMemo(() => {
    const places = chosen.map((k) => result.states.findIndex((s) => s.key === k)).filter((i) => i >= 0);
    const [zero, ...curves] = result.tone.series;
    const drawn = places.flatMap((p, i) => (curves[p] ? [{ ...curves[p], setup: i }] : []));
    return { ...result.tone, series: zero ? [zero, ...drawn] : drawn };
  }, [result, chosen]);
  return (
    <Grid templateColumns={{ base: "minmax(0, 1fr)", xl: "minmax(0, 1fr) 380px" }} gap="24px" alignItems="start">
      <Box>
        <EffectGrid result={result} {...keys} />
        <Box mt="16px" data-testid="in-words">
          <Text color="ink3" fontSize="11px">
            In words
          </Text>
          {result.features.map((f) => (
            <Text key={f.sentence} color={f.size === "none" ? "ink3" : "ink2"}>
              {f.sentence}
            </Text>
          ))}
        </Box>
      </Box>
      <Box>
        <Said result={result} />
        <Box mt="18px">
          <ChartPanel chart={chart} name="conditions" tables={false} />
          {chosen.length === 0 && (
            <Text color="ink3" fontSize="12px">
              Select states in the grid to see their greys here.
            </Text>
          )}
        </Box>
      </Box>
    </Grid>
  );
}

/** One experiment under conditions: under way, waiting for a person, or over. */
function Session({ experiment, result, fresh }: { experiment: Experiment; result: ConditionsResult; fresh: boolean }) {
  const go = useNavigate();
  const fields = useRef<Confirmed>(null);
  const strongest = useMemo(
    () =>
      result.states
        .filter((s) => s.size !== "none" && s.levels.filter(Boolean).length === 1)
        .sort((a, b) => Math.max(...b.cells.map((c) => c.dE)) - Math.max(...a.cells.map((c) => c.dE)))
        .slice(0, MOST)
        .map((s) => s.key),
    [result],
  );
  const [picked, setPicked] = useState<string[] | null>(null);
  const chosen = picked ?? strongest;
  const [at, setAt] = useState("");
  const { state, done, pause } = useSteps(experiment);
  const choose = (key: string) =>
    setPicked(chosen.includes(key) ? chosen.filter((k) => k !== key) : [...chosen.slice(-(MOST - 1)), key]);
  const order = result.lights.flatMap((_, n) => result.states.filter((s) => s.light === n)).map((s) => s.key);
  const move = (by: number) => {
    const next = order[Math.max(0, Math.min(order.length - 1, order.indexOf(at) + by))];
    if (next) setAt(next);
  };
  useKeys(CONDITIONS_KEYS, {
    confirm: () => fields.current?.confirm(),
    pause,
    down: () => move(1),
    up: () => move(-1),
    choose: () => at && choose(at),
    back: () => go(`/review/${experiment.review}`),
  });
  const stage = experiment.now;
  const label = stage?.light;
  return (
    <Box p="16px" overflowY="auto" flex="1">
      <Progress experiment={experiment} error={state.error} onState={(s) => state.mutate(s)} />
      {experiment.state === "done" && fresh && (
        <Box fontSize="15px" mb="14px" data-testid="advice">
          {result.advice.map((a) => (
            <Text key={a}>{a}</Text>
          ))}
        </Box>
      )}
      {experiment.state === "waiting" && (
        <Box mb="24px">
          {label && (
            <Flex mb="8px">
              <QuietButton
                loading={done.isPending}
                onClick={() => done.mutate({ form: "XYZ", texts: [], stands: {}, greyed: [], refused: [label] })}
              >
                Skip this light
              </QuietButton>
            </Flex>
          )}
          <StageByHand
            experiment={experiment}
            busy={done.isPending}
            error={done.error}
            onDone={(d) => done.mutate(d)}
            handle={fields}
          />
        </Box>
      )}
      {result.states.length > 0 ? (
        <Shown result={result} keys={{ at, chosen, onAt: setAt, onChoose: choose }} />
      ) : (
        <Text color="ink3">Effects are shown once the baseline was read twice.</Text>
      )}
      <PutBack experiment={experiment} />
      <Text color="ink3" fontSize="12px" mt="18px">
        On {experiment.setup_name}
        {experiment.firmware ? `, firmware ${experiment.firmware}` : ""}, {experiment.created_at.slice(0, 10)}. The
        baseline was read {result.baselines} times; bars have the interval that holds the truth 95 times of 100, and
        stand only where the whole experiment makes a mistake 5 times of 100.
      </Text>
    </Box>
  );
}

function Back({ review }: { review: number }) {
  const go = useNavigate();
  const none = () => {};
  useKeys(CONDITIONS_KEYS, {
    confirm: none,
    pause: none,
    down: none,
    up: none,
    choose: none,
    back: () => go(`/review/${review}`),
  });
  return null;
}

/** What a display does by itself, in which light. */
export default function ConditionsView() {
  const review = Number(useParams().review);
  const [search, setSearch] = useSearchParams();
  const board = useBoard(review);
  const every = useExperiments(review);
  const own = every.data?.filter((e) => e.kind === "conditions");
  const asked = search.get("experiment");
  const fresh = search.has("new") || search.has("setup");
  const number = asked !== null ? Number(asked) : fresh ? null : (own?.[0]?.id ?? null);
  const shown = useExperiment(number);
  const result = useConditions(number, shown.data?.read ?? 0);
  const start = useStart(review);
  useTitle(board.data && `Conditions, ${board.data.review.name}`);
  const problem = board.error ?? every.error ?? shown.error ?? result.error;
  if (problem) return <Failed error={problem} />;
  if (!board.data || !own || (number !== null && !(shown.data && result.data))) return <Quiet>Loading</Quiet>;
  const rows = board.data.rows;
  const setup = Number(search.get("setup")) || rows[0]?.setup || 0;
  const x = number === null ? undefined : shown.data;
  return (
    <Flex direction="column" h="100%">
      <SessionHead
        title="Conditions"
        about="automatic features in different room lights"
        rows={rows}
        setup={setup}
        onSetup={(v) => setSearch({ new: "", setup: v }, { replace: true })}
        past={own}
        shown={x?.id ?? null}
        fresh="A new experiment…"
        onChoose={(id) => setSearch(id === null ? { new: "" } : { experiment: String(id) })}
      >
        <QuietButton asChild>
          <A to={`/review/${review}/camera`}>Camera check</A>
        </QuietButton>
        <QuietButton asChild>
          <A to={`/review/${review}`}>
            Board <Key>esc</Key>
          </A>
        </QuietButton>
      </SessionHead>
      {x && result.data ? (
        <Session key={x.id} experiment={x} result={result.data} fresh={!result.isPlaceholderData} />
      ) : setup ? (
        <>
          <Back review={review} />
          <AskConditions
            key={setup}
            review={review}
            setup={setup}
            byHand={!board.data.can.reads}
            busy={start.isPending}
            error={start.error}
            onStart={(q, started) =>
              start.mutate(q, {
                onSuccess: (made) => {
                  started();
                  setSearch({ experiment: String(made.id) });
                },
              })
            }
          />
        </>
      ) : (
        <Quiet>There is no setup to ask about yet.</Quiet>
      )}
    </Flex>
  );
}
