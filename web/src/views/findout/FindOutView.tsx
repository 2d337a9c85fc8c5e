import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import { useRef } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { api, type Experiment, got, type Sent } from "../../api/client";
import { useAct, useBoard, useExperiment, useExperiments } from "../../api/queries";
import { useKeys, useTitle } from "../../app/keys";
import { Failed, Key, ProblemNote, Quiet, QuietButton, ViewHead } from "../../parts/basics";
import { Choice, Select } from "../../parts/field";
import type { Confirmed } from "../../parts/ReadingFields";
import { Ask, type Question } from "./Ask";
import { Answer, PutBack, StageByHand, Under } from "./Experiment";
import { FINDOUT_KEYS } from "./view";

const A = chakra(Link);
const TOUCHED = ["experiment", "experiments", "menu", "findings", "board", "bench"];

/** One experiment: under way, waiting for a person, or answered. */
function Session({ experiment }: { experiment: Experiment }) {
  const go = useNavigate();
  const fields = useRef<Confirmed>(null);
  const path = { experiment: experiment.id };
  const state = useAct(
    (s: Sent<"NewState">["state"]) =>
      got(api.PUT("/api/v1/experiments/{experiment}/state", { params: { path }, body: { state: s } })),
    TOUCHED,
  );
  const done = useAct(
    (body: Sent<"StageDone">) =>
      got(
        api.POST("/api/v1/experiments/{experiment}/stages/{stage}", {
          params: { path: { ...path, stage: experiment.read } },
          body,
        }),
      ),
    TOUCHED,
  );
  const learn = useAct(() => got(api.PUT("/api/v1/experiments/{experiment}/learned", { params: { path } })), TOUCHED);
  const news = (experiment.changes.some((c) => !c.known) || experiment.workaround !== "") && !experiment.applied;
  useKeys(FINDOUT_KEYS, {
    confirm: () => fields.current?.confirm(),
    pause: () => {
      if (experiment.state === "working") state.mutate("paused");
      else if (experiment.state === "paused") state.mutate("working");
    },
    learn: () => news && learn.mutate(),
    back: () => go(`/review/${experiment.review}/menu`),
  });
  return (
    <Box p="16px" overflowY="auto">
      <Text as="h2" fontSize="18px" fontWeight="600" mb="4px">
        {experiment.title}
      </Text>
      <Under experiment={experiment} onState={(s) => state.mutate(s)} />
      {experiment.message && (
        <Text role="alert" color="lamp" mb="12px">
          {experiment.message}
        </Text>
      )}
      {state.error && <ProblemNote error={state.error} />}
      {experiment.state === "done" && (
        <Answer experiment={experiment} busy={learn.isPending} error={learn.error} onLearn={() => learn.mutate()} />
      )}
      {experiment.state === "stopped" && <PutBack experiment={experiment} />}
      {experiment.state === "waiting" && (
        <StageByHand
          experiment={experiment}
          busy={done.isPending}
          error={done.error}
          onDone={(d) => done.mutate(d)}
          handle={fields}
        />
      )}
    </Box>
  );
}

function Back({ review }: { review: number }) {
  const go = useNavigate();
  useKeys(FINDOUT_KEYS, {
    confirm: () => {},
    pause: () => {},
    learn: () => {},
    back: () => go(`/review/${review}/menu`),
  });
  return null;
}

/** What a control or a mode really does, found out by experiment. */
export default function FindOutView() {
  const review = Number(useParams().review);
  const [search, setSearch] = useSearchParams();
  const board = useBoard(review);
  const every = useExperiments(review);
  // Conditions have a view of their own.
  const own = every.data?.filter((e) => e.kind !== "conditions");
  const asked = search.get("experiment");
  const fresh = search.has("new") || search.has("control") || search.has("setup");
  const number = asked !== null ? Number(asked) : fresh ? null : (own?.[0]?.id ?? null);
  const shown = useExperiment(number);
  const start = useAct(
    (body: Question) => got(api.POST("/api/v1/reviews/{review}/experiments", { params: { path: { review } }, body })),
    TOUCHED,
  );
  useTitle(board.data && `Find out, ${board.data.review.name}`);
  const problem = board.error ?? every.error ?? shown.error;
  if (problem) return <Failed error={problem} />;
  if (!board.data || !own || (number !== null && !shown.data)) return <Quiet>Loading</Quiet>;
  const { rows } = board.data;
  const setup = Number(search.get("setup")) || rows[0]?.setup || 0;
  const keep = (more: Record<string, string>) => setSearch({ new: "", ...more }, { replace: true });
  const x = number === null ? undefined : shown.data;
  const control = search.get("control") ?? "";
  return (
    <Flex direction="column" h="100%">
      <ViewHead title="Find out">
        {!x && rows.length > 0 && (
          <Choice
            aria-label="Setup"
            w="240px"
            value={String(setup)}
            choices={Object.fromEntries(rows.map((r) => [String(r.setup), r.name]))}
            onChange={(v) => keep({ setup: v, ...(control ? { control } : {}) })}
          />
        )}
        {!x && <Text color="ink3">what is found out belongs to its menu; everything is put back</Text>}
        <Box flex="1" />
        {own.length > 0 && (
          <Select
            value={x ? String(x.id) : ""}
            aria-label="Experiments of this review"
            w="300px"
            onChange={(e) => setSearch(e.target.value ? { experiment: e.target.value } : { new: "" })}
          >
            <option value="">A new question…</option>
            {own.map((e) => (
              <option key={e.id} value={e.id}>
                {e.id}: {e.title} ({e.state})
              </option>
            ))}
          </Select>
        )}
        <QuietButton asChild>
          <A to={`/review/${review}/menu`}>
            Menu map <Key>esc</Key>
          </A>
        </QuietButton>
      </ViewHead>
      {x ? (
        <Session key={x.id} experiment={x} />
      ) : setup ? (
        <>
          <Back review={review} />
          <Ask
            key={`${setup} ${control}`}
            review={review}
            setup={setup}
            control={control}
            byHand={!board.data.stand_in}
            busy={start.isPending}
            error={start.error}
            onStart={(q) => start.mutate(q, { onSuccess: (made) => setSearch({ experiment: String(made.id) }) })}
          />
        </>
      ) : (
        <Quiet>There is no setup to ask about yet.</Quiet>
      )}
    </Flex>
  );
}
