import { Box, chakra, Flex, Grid, Progress, Text } from "@chakra-ui/react";
import { type ClipboardEvent, useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { useAct } from "../../api/act";
import { type Answer, api, got, type Sheet, type SheetPatch } from "../../api/client";
import { useKeys, useTitle } from "../../app/keys";
import { Key, LampButton, Mono, ProblemNote, Quiet, QuietButton, Unseen, ViewHead } from "../../kit/basics";
import { useDraft } from "../../kit/drafts";
import { Choice, Field } from "../../kit/field";
import { MeterForm, useFormTitle, useMeterForm } from "../../kit/MeterForm";
import { duration } from "../bench/BenchBar";
import { HAND_KEYS } from "./keys";
import { useSheet } from "./queries";

const A = chakra(Link);
const colour = (rgb: number[]) => `rgb(${rgb.map((v) => Math.round(255 * Math.min(1, Math.max(0, v)))).join(" ")})`;

/** Where and how a patch is shown, in words; what is as usual is not said. */
function place(p: SheetPatch, sheet: Sheet): string[] {
  const said = [];
  if (p.pattern === "window")
    said.push(
      p.window_percent >= 100 ? "whole screen" : `window of ${Number(p.window_percent.toFixed(1))} % of the screen`,
    );
  if (p.background > 0) said.push(`on ${Math.round(100 * p.background)} % grey`);
  if (p.level != null) said.push(`${sheet.luminance ?? "luminance control"} at ${p.level}`);
  if (p.zone) {
    const [column = 0, row = 0, columns = 1, lines = 1] = p.zone;
    said.push(`meter at column ${column + 1} of ${columns}, row ${row + 1} of ${lines}`);
  }
  if (p.at_s) said.push(`${p.at_s} s after it came up`);
  return said;
}

function Line({ patch, current, onGo }: { patch: SheetPatch; current: boolean; onGo: () => void }) {
  const Y = patch.XYZ?.[1];
  const read = patch.outcome === "below_floor" ? "under floor" : Y == null ? "" : Y.toPrecision(4);
  return (
    <chakra.button
      type="button"
      onClick={onGo}
      aria-current={current ? "step" : undefined}
      display="grid"
      gridTemplateColumns="14px 1fr auto 12px"
      gap="8px"
      alignItems="center"
      w="100%"
      minH="26px"
      px="10px"
      textAlign="left"
      cursor="pointer"
      borderLeft="2px solid"
      borderColor={current ? "lamp" : "transparent"}
      bg={current ? "raised" : undefined}
      _hover={{ bg: "sheet" }}
    >
      <Box
        data-swatch
        w="12px"
        h="12px"
        border="1px solid"
        borderColor="control"
        style={{ background: colour(patch.rgb) }}
      />
      <Text color={patch.outcome ? "ink2" : "ink"} truncate>
        {patch.show}
        <Text as="span" color="ink3" fontSize="11px" ml="8px">
          {patch.zone ? `${(patch.zone[0] ?? 0) + 1}·${(patch.zone[1] ?? 0) + 1}` : ""}
          {patch.level != null ? `at ${patch.level}` : ""}
          {patch.at_s ? `${patch.at_s} s` : ""}
        </Text>
      </Text>
      <Mono color="ink2" fontSize="12px">
        {read}
      </Mono>
      <Box color="lamp" title={patch.question || undefined}>
        {patch.question ? "?" : ""}
      </Box>
    </chakra.button>
  );
}

const SHOWN = { "": "nobody looked", sdr: "SDR", pq: "PQ", hlg: "HLG" } as const;

/** What the display says it shows, so that nobody reads HDR that never came. */
function ShownSignal({ sheet, setup }: { sheet: Sheet; setup: Sheet["setups"][number] }) {
  const look = useAct(
    (signal: "sdr" | "pq" | "hlg" | null) =>
      got(
        api.PUT("/api/v1/runs/{run}/setups/{setup}/shown", {
          params: { path: { run: sheet.run, setup: setup.setup } },
          body: { signal },
        }),
      ),
    ["sheet", "board"],
  );
  return (
    <Flex as="label" display="inline-flex" gap="8px" align="center" wrap="wrap" ml="6px" my="2px">
      · the display says it shows
      <Choice
        value={setup.shown ?? ""}
        choices={SHOWN}
        onChange={(signal) => look.mutate(signal === "" ? null : signal)}
        data-testid="hand-shown"
      />
      {setup.other && <Text color="lamp">not what is to be sent: see to its input first</Text>}
      {look.error && <ProblemNote error={look.error} />}
    </Flex>
  );
}

function Settings({ sheet, patch }: { sheet: Sheet; patch: SheetPatch }) {
  const setup = sheet.setups.find((s) => s.setup === patch.setup);
  if (!setup) return null;
  const hdr = setup.signal !== "sdr";
  return (
    <Box borderTop="1px solid" borderColor="lineSoft" pt="10px" mt="18px" color="ink2">
      <Text color="ink3" fontSize="11px">
        Settings of {setup.name}, in this order
      </Text>
      <Box as="ol" listStyleType="none">
        {setup.ahead.map((e) => (
          <li key={e.path}>
            {e.path.replaceAll(">", "›")}: <Mono>{e.value}</Mono>, before HDR is sent
          </li>
        ))}
        {hdr && (
          <li>
            Send <b>{setup.send}</b> <ShownSignal sheet={sheet} setup={setup} />
          </li>
        )}
        <li>
          {setup.mode_path.replaceAll(">", "›")}: <b>{setup.mode}</b>
        </li>
        {setup.enter.map((e) => (
          <li key={e.path}>
            {e.path.replaceAll(">", "›")}: <Mono>{e.value}</Mono>
          </li>
        ))}
      </Box>
      {setup.enter.length + setup.ahead.length === 0 && <Text color="ink3">everything else as the mode ships</Text>}
    </Box>
  );
}

/** One patch at a time: what to show, what to set, and a field that takes what the meter says. */
function Step({
  sheet,
  at,
  onMove,
  onEnd,
}: {
  sheet: Sheet;
  at: number;
  onMove: (at: number) => void;
  onEnd: () => void;
}) {
  const patch = sheet.patches[at] as SheetPatch;
  const [chosenForm, setForm] = useMeterForm();
  // What was typed and not kept yet, by the patch it was typed for.
  const draft = useDraft<Record<number, string>>(`hand ${sheet.run}`, {});
  const typed = draft.value[patch.patch] ?? "";
  const [text, setText] = useState(typed);
  const keepDraft = (of: number, text: string) =>
    draft.set(({ [of]: _, ...others }) => (text ? { ...others, [of]: text } : others));
  const [answer, setAnswer] = useState<Answer | null>(null);
  const [pasted, setPasted] = useState<Answer[]>([]);
  const input = useRef<HTMLInputElement>(null);
  const form = sheet.luminance_alone ? "Y" : chosenForm;
  const enter = useAct(
    (readings: { patch: number; text: string; sure: boolean }[]) =>
      got(api.POST("/api/v1/runs/{run}/readings", { params: { path: { run: sheet.run } }, body: { form, readings } })),
    ["sheet", "board", "shelf", "verdict", "plates"],
  );
  // Who types fast is ahead of what is being kept: that text, and its Enter, are of the next patch.
  const ahead = useRef(false);
  const again = useRef(false);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another patch begins with an empty field
  useEffect(() => {
    if (!ahead.current) setText(typed);
    ahead.current = false;
    setAnswer(null);
    input.current?.focus();
  }, [patch.patch]);
  // Readings may ask for more than was planned: those lines come with the sheet.
  const grows = useRef(0);
  const next = (total = sheet.total) => {
    const later = sheet.patches.findIndex((p, i) => i > at && !p.outcome);
    const any = later >= 0 ? later : sheet.patches.findIndex((p, i) => i !== at && !p.outcome);
    if (any >= 0) onMove(any);
    else if (total > sheet.total) grows.current = total;
    else if (at + 1 < sheet.patches.length) onMove(at + 1);
    else onEnd();
  };
  const keep = () => {
    if (!text.trim()) return;
    if (enter.isPending) {
      again.current = true;
      return;
    }
    const sent = text;
    const back = () => {
      again.current = false;
      setText(sent);
    };
    setText("");
    const sure = answer?.question !== undefined && answer.question !== "";
    enter.mutate([{ patch: patch.patch, text: sent, sure }], {
      onError: back,
      onSuccess: (all) => {
        const mine = all.answers[0] ?? null;
        setPasted([]);
        if (mine?.kept) {
          keepDraft(patch.patch, "");
          setAnswer(null);
          ahead.current = true;
          if (all.state === "done" && sheet.state !== "done") onEnd();
          else next(all.total);
        } else {
          back();
          setAnswer(mine);
          // What is typed now replaces it; Enter keeps it.
          reselect.current = true;
        }
      },
    });
  };
  useEffect(() => {
    if (!again.current || enter.isPending || ahead.current) return;
    again.current = false;
    keep();
  });
  const reselect = useRef(false);
  useEffect(() => {
    if (!reselect.current || !text) return;
    reselect.current = false;
    input.current?.select();
  });
  useEffect(() => {
    if (grows.current === 0 || sheet.total < grows.current) return;
    grows.current = 0;
    const open = sheet.patches.findIndex((p) => !p.outcome);
    if (open >= 0) onMove(open);
  });
  const paste = (event: ClipboardEvent) => {
    const lines = event.clipboardData
      .getData("text")
      .split(/\r?\n/)
      .filter((l) => l.trim());
    if (lines.length < 2) return;
    event.preventDefault();
    const open = [patch, ...sheet.patches.slice(at + 1).filter((p) => !p.outcome)];
    const readings = lines.slice(0, open.length).map((line, i) => ({
      patch: (open[i] as SheetPatch).patch,
      text: line,
      sure: false,
    }));
    enter.mutate(readings, {
      onSuccess: (all) => {
        const left = all.answers.filter((a) => !a.kept);
        setPasted(left);
        const first = left[0] ? sheet.patches.findIndex((p) => p.patch === left[0]?.patch) : -1;
        if (first >= 0) onMove(first);
        else if (all.state === "done") onEnd();
        else {
          const last = sheet.patches.findIndex((p) => p.patch === readings.at(-1)?.patch);
          const after = sheet.patches.findIndex((p, i) => i > last && !p.outcome);
          if (after >= 0) onMove(after);
          else if (all.total > sheet.total) grows.current = all.total;
        }
      },
    });
  };
  const told = answer ?? pasted.find((a) => a.patch === patch.patch) ?? null;
  const title = useFormTitle(form);
  return (
    <Box p="24px" maxW="620px">
      <Text color="ink3" fontSize="11px">
        Show
      </Text>
      <Flex align="center" gap="16px" mt="4px">
        <Box
          data-swatch
          w="72px"
          h="48px"
          border="1px solid"
          borderColor="control"
          style={{ background: colour(patch.rgb) }}
          flex="none"
        />
        <Box>
          <Text as="h2" fontSize="22px" fontWeight="600" data-testid="hand-show">
            {patch.show}
          </Text>
          <Text color="ink2">
            <Mono>{patch.codes.join(" ")}</Mono> of {patch.top}
            {place(patch, sheet).map((s) => ` · ${s}`)}
          </Text>
        </Box>
      </Flex>
      <Flex as="label" direction="column" mt="22px" gap="4px">
        <Text color="ink3" fontSize="11px">
          What the meter says, {title}
        </Text>
        <Flex gap="8px" align="center" wrap="wrap">
          <Field
            ref={input}
            value={text}
            autoComplete="off"
            inputMode="text"
            aria-invalid={told != null && !told.kept}
            aria-describedby="hand-told"
            onChange={(e) => {
              setText(e.target.value);
              keepDraft(patch.patch, e.target.value);
              setAnswer(null);
            }}
            onPaste={paste}
            onKeyDown={(e) => {
              if (e.key === "Enter") {
                e.preventDefault();
                keep();
              } else if (e.key === "Backspace" && text === "" && at > 0) {
                e.preventDefault();
                onMove(at - 1);
              }
            }}
            w="320px"
            h="40px"
            fontSize="18px"
            data-testid="hand-input"
          />
          <LampButton onClick={keep} disabled={!text.trim()} h="40px">
            {answer?.question ? "Save anyway" : "Save"} <Key on>↵</Key>
          </LampButton>
        </Flex>
      </Flex>
      <Box id="hand-told" role="status" minH="44px" mt="8px" data-testid="hand-told">
        {told?.error && <Text color="lamp">{told.error}</Text>}
        {told?.question && (
          <Text color="lamp">
            {told.question} {answer ? "Press Enter to save it, or type it again." : "Type it again."}
          </Text>
        )}
        {!told && patch.outcome && (
          <Text color="ink2">
            Read already: {patch.XYZ ? patch.XYZ.map((v) => v.toPrecision(5)).join("  ") : "under the meter's floor"}
            {patch.question ? ` · ${patch.question}` : ""} Typing again replaces it.
          </Text>
        )}
        {pasted.length > 1 && <Text color="ink2">{pasted.length} of the pasted readings were not kept.</Text>}
      </Box>
      {enter.error && <ProblemNote error={enter.error} />}
      <Text color="ink3" fontSize="11.5px">
        <Key>↵</Key> keeps it and goes on · <Key>⌫</Key> in the empty field goes back one · a zero, a dash or “low” says
        that the meter is under its floor · a whole column can be pasted
      </Text>
      <Flex as="label" gap="8px" align="center" mt="12px" color="ink2">
        The meter shows
        <MeterForm
          value={form}
          among={(f) => (f === "Y") === sheet.luminance_alone}
          onChange={(f) => {
            setForm(f);
            input.current?.focus();
          }}
        />
      </Flex>
      <Settings sheet={sheet} patch={patch} />
    </Box>
  );
}

/** A run by hand: the list of what is to be read, and the patch that comes next. */
export default function HandView() {
  const { review, run } = useParams();
  const go = useNavigate();
  const sheet = useSheet(Number(run));
  const [chosen, setChosen] = useState<number | null>(null);
  const end = useAct(
    () => got(api.POST("/api/v1/runs/{run}/end", { params: { path: { run: Number(run) } } })),
    ["sheet", "board", "shelf"],
  );
  const board = () => go(`/review/${review}`);
  useKeys(HAND_KEYS, { back: board });
  useTitle(sheet.data ? `By hand: ${sheet.data.name}` : undefined);
  if (sheet.error) {
    return (
      <Quiet>
        <ProblemNote error={sheet.error} />
        <QuietButton asChild>
          <Link to={`/review/${review}`}>To the Board</Link>
        </QuietButton>
      </Quiet>
    );
  }
  if (!sheet.data) return <Quiet>Loading</Quiet>;
  const s = sheet.data;
  const first = s.patches.findIndex((p) => !p.outcome);
  const at = chosen ?? Math.max(0, first);
  const ended = s.state !== "waiting";
  return (
    <Flex direction="column" h="100%">
      <ViewHead title="By hand">
        <Progress.Root value={s.done} max={Math.max(1, s.total)} w="160px" size="xs" aria-label="Readings done">
          <Progress.Track bg="lineSoft">
            <Progress.Range bg="lamp" />
          </Progress.Track>
        </Progress.Root>
        <Text color="ink2" data-testid="hand-progress">
          <Mono>
            {s.done} of {s.total}
          </Mono>
          {ended ? (s.state === "done" ? " · all read" : " · ended") : ` · about ${duration(s.left_s)} left`}
        </Text>
        <Text color="ink3">{s.meter}</Text>
        <Box flex="1" />
        {!ended && (
          <QuietButton onClick={() => end.mutate(undefined, { onSuccess: board })} title="What was read is kept">
            End the run here
          </QuietButton>
        )}
        {ended ? (
          <LampButton onClick={board}>
            Board <Key on>esc</Key>
          </LampButton>
        ) : (
          <QuietButton asChild>
            <A to={`/review/${review}`}>
              Board <Key>esc</Key>
            </A>
          </QuietButton>
        )}
      </ViewHead>
      <Grid templateColumns={{ base: "1fr", md: "minmax(220px, 300px) 1fr" }} flex="1" minH="0">
        <Box as="nav" aria-label="Patches" overflowY="auto" borderRight="1px solid" borderColor="lineSoft" py="6px">
          {s.patches.map((p, i) => (
            <Box key={p.patch}>
              {p.setup !== s.patches[i - 1]?.setup && (
                <Text px="12px" pt="8px" pb="2px" fontWeight="600" fontSize="12px">
                  {s.setups.find((x) => x.setup === p.setup)?.name}
                </Text>
              )}
              <Line patch={p} current={i === at} onGo={() => setChosen(i)} />
            </Box>
          ))}
        </Box>
        <Box overflowY="auto">
          {s.patches.length === 0 ? (
            <Quiet>Nothing is left to read in this run: its setup was deleted.</Quiet>
          ) : s.state === "stopped" ? (
            <Quiet>This run was ended. What was read is kept; the Board measures the rest again.</Quiet>
          ) : (
            <Step sheet={s} at={Math.min(at, s.patches.length - 1)} onMove={setChosen} onEnd={board} />
          )}
        </Box>
      </Grid>
      <Unseen aria-live="polite">{ended ? "All is read." : ""}</Unseen>
    </Flex>
  );
}
