import { Box, chakra, Flex } from "@chakra-ui/react";
import { useRef } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { useAct } from "../../api/act";
import { api, type Experiment, got } from "../../api/client";
import { useKeys, useTitle } from "../../app/keys";
import { Failed, Key, Quiet, QuietButton } from "../../kit/basics";
import type { Confirmed } from "../../kit/ReadingFields";
import { TOUCHED, useStart, useSteps } from "../../session/acts";
import { Answer, Progress, PutBack, StageByHand } from "../../session/Experiment";
import { SessionHead } from "../../session/SessionHead";
import { useBoard } from "../board/queries";
import { Ask } from "./Ask";
import { FINDOUT_KEYS } from "./keys";
import { useExperiment, useExperiments } from "./queries";

const A = chakra(Link);

/** One experiment: under way, waiting for a person, or answered. */
function Session({ experiment }: { experiment: Experiment }) {
  const go = useNavigate();
  const fields = useRef<Confirmed>(null);
  const path = { experiment: experiment.id };
  const { state, done, pause } = useSteps(experiment);
  const learn = useAct(() => got(api.PUT("/api/v1/experiments/{experiment}/learned", { params: { path } })), TOUCHED);
  const news = (experiment.changes.some((c) => !c.known) || experiment.workaround !== "") && !experiment.applied;
  useKeys(FINDOUT_KEYS, {
    confirm: () => fields.current?.confirm(),
    pause,
    learn: () => news && learn.mutate(),
    back: () => go(`/review/${experiment.review}/menu`),
  });
  return (
    <Box p="16px" overflowY="auto">
      <Progress experiment={experiment} error={state.error} onState={(s) => state.mutate(s)} />
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
  const start = useStart(review);
  useTitle(board.data && `Experiments, ${board.data.review.name}`);
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
      <SessionHead
        title="Experiments"
        about="Results are saved to the menu map. All settings are restored afterwards."
        rows={rows}
        setup={setup}
        onSetup={(v) => keep({ setup: v, ...(control ? { control } : {}) })}
        past={own}
        shown={x?.id ?? null}
        fresh="A new question…"
        onChoose={(id) => setSearch(id === null ? { new: "" } : { experiment: String(id) })}
      >
        <QuietButton asChild>
          <A to={`/review/${review}/menu`}>
            Menu map <Key>esc</Key>
          </A>
        </QuietButton>
      </SessionHead>
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
            byHand={!board.data.can.reads}
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
