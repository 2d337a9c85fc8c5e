import { Box, chakra, Flex, Grid, Table, Text } from "@chakra-ui/react";
import { useRef } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { useAct } from "../../api/act";
import { api, got, type Tuning } from "../../api/client";
import { useKeys, useTitle } from "../../app/keys";
import { Key, LampButton, Mono, ProblemNote, Quiet, QuietButton, Unseen, ViewHead } from "../../kit/basics";
import { Select } from "../../kit/field";
import type { Form } from "../../kit/MeterForm";
import { Past } from "../../kit/Past";
import type { Confirmed } from "../../kit/ReadingFields";
import { ChartPanel } from "../../pictures/ChartPanel";
import { number } from "../../pictures/common";
import { useBoard } from "../board/queries";
import { Begin, type Wished } from "./Begin";
import { TUNING_KEYS } from "./keys";
import { useTuning, useTunings } from "./queries";
import { IsItWorthIt, Keep, Outcome } from "./Result";
import { Question, Step } from "./Step";

const A = chakra(Link);
const STATES: Record<Tuning["state"], string> = {
  working: "at work",
  waiting: "waits for you",
  paused: "paused",
  found: "found",
  stopped: "ended",
  kept: "kept",
};
const TOUCHED = ["tuning", "tunings", "board", "bench", "shelf", "verdict"];

/** All attempts; any that counts can be gone back to. */
function Attempts({ tuning, onBack }: { tuning: Tuning; onBack: (n: number) => void }) {
  const last = tuning.attempts.filter((a) => !a.dropped).at(-1)?.number;
  const open = tuning.state !== "kept" && tuning.state !== "working";
  return (
    <Table.Root fontSize="12.5px" w="100%" mt="8px" aria-label="Attempts">
      <Table.Header>
        <Table.Row>
          <Table.ColumnHeader textAlign="end" w="34px">
            #
          </Table.ColumnHeader>
          <Table.ColumnHeader>Goal</Table.ColumnHeader>
          <Table.ColumnHeader>Entered</Table.ColumnHeader>
          <Table.ColumnHeader textAlign="end">Off by</Table.ColumnHeader>
          <Table.ColumnHeader textAlign="end">White, cd/m²</Table.ColumnHeader>
          <Table.ColumnHeader w="70px" />
        </Table.Row>
      </Table.Header>
      <Table.Body>
        {[...tuning.attempts].reverse().map((a) => (
          <Table.Row
            key={a.number}
            opacity={a.dropped ? 0.5 : 1}
            data-testid="attempt"
            title={a.dropped ? "Discarded by going back; it no longer counts" : a.why}
          >
            <Table.Cell textAlign="end" color="ink3">
              <Mono>{a.number}</Mono>
            </Table.Cell>
            <Table.Cell color="ink2" whiteSpace="nowrap">
              {a.title}
            </Table.Cell>
            <Table.Cell>
              {a.moved.join(", ") || (a.number === 1 ? "as it stood" : "nothing new, read again")}
              {a.doubt && (
                <Text color="lamp" fontSize="12px" data-testid="doubt">
                  {a.doubt}
                </Text>
              )}
            </Table.Cell>
            <Table.Cell textAlign="end" whiteSpace="nowrap">
              <Mono>{a.figure == null ? "" : number(a.figure, a.unit === "%" ? 1 : 2)}</Mono>{" "}
              <Text as="span" color="ink3">
                {a.figure == null ? "" : a.unit}
              </Text>
            </Table.Cell>
            <Table.Cell textAlign="end">
              <Mono>{a.Y == null ? "" : a.Y.toPrecision(4)}</Mono>
            </Table.Cell>
            <Table.Cell>
              {open && !a.dropped && a.number !== last && (
                <QuietButton h="22px" fontSize="11px" px="6px" onClick={() => onBack(a.number)}>
                  go back
                </QuietButton>
              )}
            </Table.Cell>
          </Table.Row>
        ))}
      </Table.Body>
    </Table.Root>
  );
}

function Steer({ tuning, onState }: { tuning: Tuning; onState: (s: "working" | "paused" | "stopped") => void }) {
  const { state, by_hand } = tuning;
  return (
    <Flex gap="8px">
      {state === "working" && (
        <QuietButton onClick={() => onState("paused")}>
          Pause <Key>p</Key>
        </QuietButton>
      )}
      {state === "paused" && (
        <LampButton onClick={() => onState("working")} data-testid="go-on">
          Go on <Key on>p</Key>
        </LampButton>
      )}
      {(state === "working" || state === "paused" || state === "waiting") && (
        <QuietButton
          onClick={() => onState("stopped")}
          title={by_hand ? "Shows the values to set before you leave" : "The best state so far is entered again"}
        >
          End it here
        </QuietButton>
      )}
    </Flex>
  );
}

/** One tuning: what comes next at the left, the way so far at the right. */
function Session({ tuning }: { tuning: Tuning }) {
  const go = useNavigate();
  const step = useRef<Confirmed>(null);
  const path = { tuning: tuning.id };
  const state = useAct(
    (s: "working" | "paused" | "stopped") =>
      got(api.PUT("/api/v1/tunings/{tuning}/state", { params: { path }, body: { state: s } })),
    TOUCHED,
  );
  const type = useAct(
    (v: { form: Form; texts: string[]; number: number; sure?: boolean }) =>
      got(
        api.POST("/api/v1/tunings/{tuning}/attempts/{number}", {
          params: { path: { ...path, number: v.number } },
          body: { form: v.form, texts: v.texts, sure: v.sure ?? false },
        }),
      ),
    TOUCHED,
  );
  const answer = useAct(
    (v: { number: number; seems: boolean; stands?: string }) =>
      got(
        api.PUT("/api/v1/tunings/{tuning}/attempts/{number}/entered", {
          params: { path: { ...path, number: v.number } },
          body: {
            as_it_seems: v.seems,
            stands: v.stands == null || Number.isNaN(Number(v.stands)) ? v.stands : Number(v.stands),
          },
        }),
      ),
    TOUCHED,
  );
  const back = useAct(
    (n: number) => got(api.PUT("/api/v1/tunings/{tuning}/from", { params: { path }, body: { number: n } })),
    TOUCHED,
  );
  const keep = useAct(
    (name: string) => got(api.POST("/api/v1/tunings/{tuning}/result", { params: { path }, body: { name } })),
    TOUCHED,
  );
  const prove = useAct(() => got(api.POST("/api/v1/tunings/{tuning}/proof", { params: { path } })), TOUCHED);
  const asked = tuning.question;
  const counted = tuning.attempts.filter((a) => !a.dropped).length;
  useKeys(TUNING_KEYS, {
    confirm: () => step.current?.confirm(),
    yes: () => asked && answer.mutate({ number: asked.number, seems: true }),
    no: () => asked && answer.mutate({ number: asked.number, seems: false }),
    pause: () => {
      if (tuning.state === "working") state.mutate("paused");
      else if (tuning.state === "paused") state.mutate("working");
    },
    back: () => go(`/review/${tuning.review}`),
  });
  const over = tuning.state === "found" || tuning.state === "stopped" || tuning.state === "kept";
  return (
    <Grid
      templateColumns={{ base: "minmax(0, 1fr)", lg: "minmax(380px, 470px) 1fr" }}
      flex="1"
      minH="0"
      overflow={{ lg: "hidden" }}
    >
      <Box
        position="relative"
        overflowY={{ lg: "auto" }}
        minW="0"
        p="16px"
        borderRightWidth={{ base: 0, lg: "1px" }}
        borderColor="lineSoft"
      >
        <Flex mb="14px" align="center" gap="12px">
          <Text color="ink2" data-testid="tuning-state">
            {STATES[tuning.state]} · <Mono>{counted}</Mono> attempt{counted === 1 ? "" : "s"},{" "}
            <Mono>{tuning.readings}</Mono> reading{tuning.readings === 1 ? "" : "s"}
          </Text>
          <Box flex="1" />
          <Steer tuning={tuning} onState={(s) => state.mutate(s)} />
        </Flex>
        {tuning.message && (
          <Text role="alert" color="lamp" mb="12px">
            {tuning.message}
          </Text>
        )}
        {state.error && <ProblemNote error={state.error} />}
        {back.error && <ProblemNote error={back.error} />}
        {asked && (
          <Question
            question={asked}
            error={answer.error}
            onAnswer={(seems, stands) => answer.mutate({ number: asked.number, seems, stands })}
          />
        )}
        {tuning.step && !asked && (
          <Step
            handle={step}
            tuning={tuning}
            step={tuning.step}
            busy={type.isPending}
            error={type.error}
            onKeep={(form, texts, sure) =>
              tuning.step && type.mutate({ form, texts, sure, number: tuning.step.number })
            }
          />
        )}
        {over && <Outcome tuning={tuning} />}
        {(tuning.state === "found" || tuning.state === "stopped") && tuning.settings.length > 0 && (
          <Keep tuning={tuning} error={keep.error} busy={keep.isPending} onKeep={(name) => keep.mutate(name)} />
        )}
        {tuning.state === "kept" && (
          <IsItWorthIt
            tuning={tuning}
            busy={prove.isPending}
            error={prove.error}
            onProve={() =>
              prove.mutate(undefined, {
                onSuccess: (made) => tuning.by_hand && go(`/review/${tuning.review}/hand/${made.id}`),
              })
            }
          />
        )}
        <Unseen aria-live="polite">{over ? "The tuning is over." : (tuning.step?.why ?? "")}</Unseen>
      </Box>
      <Box position="relative" overflowY={{ lg: "auto" }} minW="0" p="16px">
        {tuning.charts.length > 0 ? (
          <Grid templateColumns={{ base: "minmax(0, 1fr)", xl: "minmax(0, 3fr) minmax(0, 2fr)" }} gap="8px 20px">
            {tuning.charts.slice(0, 1).map((c) => (
              <ChartPanel key={c.key} chart={c} name={tuning.setup_name} tables={false} />
            ))}
            <Box>
              {tuning.charts.slice(1).map((c) => (
                <ChartPanel key={c.key} chart={c} name={tuning.setup_name} tables={false} />
              ))}
            </Box>
          </Grid>
        ) : (
          <Text color="ink3" mb="12px">
            The path of white appears after the first reading.
          </Text>
        )}
        {tuning.attempts.length > 0 && <Attempts tuning={tuning} onBack={(n) => back.mutate(n)} />}
      </Box>
    </Grid>
  );
}

/** Choose a setup and what to aim at; be led to it; see whether it is worth it. */
export default function TuningView() {
  const review = Number(useParams().review);
  const go = useNavigate();
  const [search, setSearch] = useSearchParams();
  const board = useBoard(review);
  const every = useTunings(review);
  const wanted = Number(search.get("tuning")) || null;
  const rows = board.data?.rows ?? [];
  const open = every.data?.find((t) => ["working", "waiting", "paused"].includes(t.state));
  const fresh = search.get("new") !== null || search.get("setup") !== null;
  const number = wanted ?? (fresh ? null : (open ?? every.data?.[0])?.id) ?? null;
  const shown = useTuning(number);
  const setup = Number(search.get("setup")) || rows[0]?.setup || 0;
  const start = useAct(
    (w: Wished) =>
      got(
        api.POST("/api/v1/reviews/{review}/tunings", {
          params: { path: { review } },
          body: { setup, goals: w.goals, luminance: w.luminance, target: w.target, purpose: w.purpose },
        }),
      ),
    TOUCHED,
  );
  const end = useAct(
    (tuning: number) =>
      got(api.PUT("/api/v1/tunings/{tuning}/state", { params: { path: { tuning } }, body: { state: "stopped" } })),
    TOUCHED,
  );
  useTitle(shown.data ? `Tuning ${shown.data.setup_name}` : undefined);
  useKeys(
    TUNING_KEYS,
    { confirm: () => {}, yes: () => {}, no: () => {}, pause: () => {}, back: () => go(`/review/${review}`) },
    number === null,
  );
  const error = board.error ?? every.error ?? shown.error;
  if (error) {
    return (
      <Quiet>
        <ProblemNote error={error} />
        <Flex gap="8px" justify="center" mt="10px">
          {shown.error && number !== null && open?.id === number && (
            <QuietButton onClick={() => end.mutate(number, { onSuccess: () => setSearch({ new: "" }) })}>
              End that tuning
            </QuietButton>
          )}
          <QuietButton asChild>
            <A to={`/review/${review}`}>To the Board</A>
          </QuietButton>
        </Flex>
      </Quiet>
    );
  }
  if (!board.data || !every.data || (number !== null && !shown.data)) return <Quiet>Loading</Quiet>;
  const t = number === null ? undefined : shown.data;
  return (
    <Flex direction="column" h="100%">
      <ViewHead title="Tuning">
        {t ? (
          <Text>
            <b>{t.setup_name}</b>{" "}
            <Text as="span" color="ink3">
              towards {t.target_title}
              {t.luminance != null && (
                <>
                  {" "}
                  at <Mono>{t.luminance}</Mono> cd/m²
                </>
              )}
            </Text>
          </Text>
        ) : (
          <Select
            value={String(setup)}
            aria-label="Setup to tune"
            w="240px"
            onChange={(e) => setSearch({ setup: e.target.value })}
            data-testid="tuning-setup"
          >
            {rows.map((r) => (
              <option key={r.setup} value={r.setup}>
                {r.name}
                {r.sample && board.data.rows.some((x) => x.sample !== r.sample) ? ` (sample ${r.sample})` : ""}
              </option>
            ))}
          </Select>
        )}
        <Box flex="1" />
        <Past
          of={every.data.map((x) => ({ id: x.id, words: `${x.setup_name}, ${STATES[x.state]}` }))}
          shown={t?.id ?? null}
          label="Tunings of this review"
          fresh="A new tuning…"
          w="220px"
          onChoose={(id) => setSearch(id === null ? { new: "" } : { tuning: String(id) })}
        />
        <QuietButton asChild>
          <A to={`/review/${review}`}>
            Board <Key>esc</Key>
          </A>
        </QuietButton>
      </ViewHead>
      {t ? (
        <Session key={t.id} tuning={t} />
      ) : setup ? (
        <Begin
          key={setup}
          review={review}
          setup={setup}
          busy={start.isPending}
          error={start.error}
          onStart={(w) => start.mutate(w, { onSuccess: (made) => setSearch({ tuning: String(made.id) }) })}
        />
      ) : (
        <Quiet>There is no setup to tune yet.</Quiet>
      )}
    </Flex>
  );
}
