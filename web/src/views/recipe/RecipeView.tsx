import { Box, chakra, Flex, Table, Text } from "@chakra-ui/react";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { useAct } from "../../api/act";
import { api, got, type Recipe, type Sent } from "../../api/client";
import { useKeys, useTitle } from "../../app/keys";
import { Key, LampButton, Mono, ProblemNote, Quiet, QuietButton } from "../../kit/basics";
import { Field, Select } from "../../kit/field";
import { ReadingFields } from "../../kit/ReadingFields";
import { Tick } from "../../kit/toggles";
import { number } from "../../pictures/common";
import { ByRoom } from "./ByRoom";
import { RECIPE_KEYS } from "./keys";
import { Notes } from "./Notes";
import { useRecipe } from "./queries";

const A = chakra(Link);
const KINDS = {
  set: "",
  check: "check",
  "only-if": "only if",
  choose: "choose",
  workaround: "workaround",
  leave: "leave",
} as const;
type Replay = Recipe["replays"][number];
const TOUCHED = ["recipe", "bench", "board"];

/** What was ticked off while standing at the display, kept on this device. */
function useTicked(key: string): [string[], (path: string, on: boolean) => void] {
  const [ticked, setTicked] = useState<string[]>(() => JSON.parse(localStorage.getItem(key) ?? "[]"));
  const tick = (path: string, on: boolean) => {
    const next = on ? [...ticked, path] : ticked.filter((p) => p !== path);
    localStorage.setItem(key, JSON.stringify(next));
    setTicked(next);
  };
  return [ticked, tick];
}

function Steps({ recipe }: { recipe: Recipe }) {
  const [ticked, tick] = useTicked(`lumenar-recipe-${recipe.setup}`);
  const line = (key: string, n: number, body: React.ReactNode) => (
    <Flex
      key={key}
      as="li"
      gap="12px"
      py="8px"
      borderTop="1px solid"
      borderColor="lineSoft"
      textDecoration={ticked.includes(key) ? "line-through" : undefined}
      data-testid="recipe-step"
    >
      <Tick checked={ticked.includes(key)} onChange={(on) => tick(key, on)} name={`Step ${n} is done`}>
        <Mono color="ink3">{n}</Mono>
      </Tick>
      <Box flex="1" minW="0">
        {body}
      </Box>
    </Flex>
  );
  const doing = recipe.steps.filter((s) => s.kind !== "leave");
  const left = recipe.steps.filter((s) => s.kind === "leave");
  return (
    <>
      <Box as="ol" listStyleType="none">
        {line("reset", 1, <Text>{recipe.reset}</Text>)}
        {doing.map((s, i) =>
          line(
            `${s.kind === "set" || s.kind === "check" ? "" : `${s.kind} `}${s.path}`,
            i + 2,
            <>
              <Flex gap="12px" wrap="wrap" align="baseline">
                <Text>
                  {KINDS[s.kind] && (
                    <Text as="span" color="ink3">
                      {KINDS[s.kind]}{" "}
                    </Text>
                  )}
                  {s.path.replaceAll(">", "›")}
                </Text>
                <Mono fontWeight="600" fontSize="15px">
                  {s.said || s.value}
                </Mono>
                {s.scope && (
                  <Text color="ink3" fontSize="12px">
                    {s.scope}
                  </Text>
                )}
              </Flex>
              {s.why !== doing[i - 1]?.why && (
                <Text color="ink2" fontSize="12.5px">
                  {s.why}
                </Text>
              )}
            </>,
          ),
        )}
      </Box>
      <ByRoom control={recipe.luminance} settings={recipe.by_room} />
      {recipe.text.map((words) => (
        <Text key={words} mt="10px" data-testid="text">
          {words}
        </Text>
      ))}
      {left.length > 0 && (
        <Box mt="14px" data-testid="left">
          <Text color="ink3" fontSize="11px">
            Leave at default
          </Text>
          {left.map((s, i) => (
            <Text key={s.path} color="ink2" fontSize="12.5px" mt="3px">
              {s.path.replaceAll(">", "›")}: <Mono>{s.said || s.value}</Mono>
              {s.why !== left[i - 1]?.why && ` · ${s.why}`}
            </Text>
          ))}
        </Box>
      )}
    </>
  );
}

/** For what the setup is the best, and what is better for what else. */
function Purposes({ recipe }: { recipe: Recipe }) {
  const scored = recipe.purposes.filter((p) => p.value != null);
  if (scored.length === 0) return null;
  return (
    <Table.Root fontSize="13px" w="auto" mb="16px" aria-label="What it is good for" data-testid="good-for">
      <Table.Body>
        {scored.map((p) => (
          <Table.Row key={p.purpose}>
            <Table.Cell pl="0" pr="14px" py="2px">
              {p.title}
            </Table.Cell>
            <Table.Cell textAlign="end">
              <Mono>{Math.round(p.value ?? 0)}</Mono>
            </Table.Cell>
            <Table.Cell color="ink3">
              {p.best_setup === recipe.setup ? (
                "the best"
              ) : (
                <>
                  <A to={`/review/${recipe.review}/recipe/${p.best_setup}`} textDecoration="underline dotted">
                    {p.best_name}
                  </A>{" "}
                  has <Mono>{Math.round(p.best_value)}</Mono>
                </>
              )}
            </Table.Cell>
          </Table.Row>
        ))}
      </Table.Body>
    </Table.Root>
  );
}

function Promised({ recipe }: { recipe: Recipe }) {
  const others = [...new Set(recipe.promised.flatMap((f) => Object.keys(f.others)))];
  if (recipe.promised.length === 0)
    return (
      <Text color="ink2">
        Measure white, greys, primaries and secondaries of this setup to see the expected result here.
      </Text>
    );
  return (
    <Table.Root fontSize="13px" w="auto" aria-label="What it promises">
      <Table.Header>
        <Table.Row>
          <Table.ColumnHeader pl="0">Figure</Table.ColumnHeader>
          <Table.ColumnHeader textAlign="end">promised</Table.ColumnHeader>
          <Table.ColumnHeader textAlign="end">replayed</Table.ColumnHeader>
          <Table.ColumnHeader />
          {others.map((s) => (
            <Table.ColumnHeader key={s} textAlign="end">
              sample {s}
            </Table.ColumnHeader>
          ))}
        </Table.Row>
      </Table.Header>
      <Table.Body>
        {recipe.promised.map((f) => (
          <Table.Row key={f.figure} data-testid="promised" data-figure={f.figure}>
            <Table.Cell pl="0" pr="14px" py="3px">
              {f.title}{" "}
              <Text as="span" color="ink3">
                {f.unit}
              </Text>
            </Table.Cell>
            <Table.Cell textAlign="end">
              <Mono>{f.expected == null ? "" : number(f.expected, f.decimals)}</Mono>
            </Table.Cell>
            <Table.Cell textAlign="end">
              <Mono>{f.replayed == null ? "" : number(f.replayed, f.decimals)}</Mono>
            </Table.Cell>
            <Table.Cell color={f.kept === false ? "lamp" : "ink3"}>
              {f.kept == null ? "" : f.kept ? "kept" : "not kept"}
            </Table.Cell>
            {others.map((s) => (
              <Table.Cell key={s} textAlign="end">
                <Mono>{f.others[s] == null ? "" : number(f.others[s], f.decimals)}</Mono>
              </Table.Cell>
            ))}
          </Table.Row>
        ))}
      </Table.Body>
    </Table.Root>
  );
}

/** The proof of a replay by hand: the steps were entered, now every patch is read and typed. */
function Proof({ replay, recipe }: { replay: Replay; recipe: Recipe }) {
  const [at, setAt] = useState(2);
  const [what, setWhat] = useState("");
  const path = { replay: replay.id };
  const keep = useAct(
    (body: Sent<"ProofReadings">) => got(api.POST("/api/v1/replays/{replay}/readings", { params: { path }, body })),
    TOUCHED,
  );
  const fail = useAct(
    () => got(api.POST("/api/v1/replays/{replay}/failure", { params: { path }, body: { step: at - 1, what } })),
    TOUCHED,
  );
  const steps = recipe.steps.filter((s) => s.kind !== "leave");
  return (
    <Box mt="16px" borderTop="1px solid" borderColor="lineSoft" pt="12px" className="no-print" data-testid="proof">
      <Text fontWeight="600">Replay: reset, enter every step, then read</Text>
      <ReadingFields
        patches={replay.patches.map((code, i) => ({ code, rgb: replay.rgb[i] ?? [0, 0, 0] }))}
        of={replay.id}
        busy={keep.isPending}
        keep="Save the readings"
        onKeep={(form, texts) => keep.mutate({ form, texts })}
      />
      {keep.error && <ProblemNote error={keep.error} />}
      <Flex gap="8px" align="center" mt="16px" wrap="wrap" color="ink2">
        This step couldn't be entered:
        <Select value={String(at)} aria-label="The step" onChange={(e) => setAt(Number(e.target.value))}>
          {steps.map((s, i) => (
            <option key={s.path} value={i + 2}>
              {i + 2}: {s.path.split(" > ").at(-1)}
            </option>
          ))}
        </Select>
        <Field placeholder="what was seen" value={what} onChange={(e) => setWhat(e.target.value)} w="200px" h="28px" />
        <QuietButton onClick={() => fail.mutate()}>It failed there</QuietButton>
      </Flex>
      {fail.error && <ProblemNote error={fail.error} />}
    </Box>
  );
}

function Replays({ recipe }: { recipe: Recipe }) {
  const words = (r: Replay) => {
    if (r.state === "working") return "at work";
    if (r.state === "waiting") return "waits for its readings";
    if (r.state === "done")
      return r.kept == null ? "read" : r.kept ? "kept what it promises" : "expected result not reached";
    return r.message;
  };
  return (
    <Box as="ul" listStyleType="none" mt="8px">
      {recipe.replays.map((r) => (
        <Text as="li" key={r.id} color={r.kept === false ? "lamp" : "ink2"} fontSize="12.5px" data-testid="replay">
          {r.created_at.slice(0, 10)}, sample {r.sample}
          {r.firmware ? `, firmware ${r.firmware}` : ""}: {words(r)}
        </Text>
      ))}
    </Box>
  );
}

/** The ordered settings of a setup: to tick off, to print, to replay. */
export default function RecipeView() {
  const path = { review: Number(useParams().review), setup: Number(useParams().setup) };
  const go = useNavigate();
  const shown = useRecipe(path.review, path.setup);
  const start = useAct(
    (unit: number | null) =>
      got(api.POST("/api/v1/reviews/{review}/setups/{setup}/replays", { params: { path }, body: { unit } })),
    TOUCHED,
  );
  const [writing, setWriting] = useState(false);
  const r = shown.data;
  const busy = start.isPending || r?.replays.some((x) => x.state === "working") === true;
  const waiting = r?.replays.find((x) => x.state === "waiting");
  useTitle(r ? `Recipe: ${r.name}` : undefined);
  useKeys(RECIPE_KEYS, {
    replay: () => !busy && !waiting && start.mutate(null),
    write: () => setWriting((w) => !w),
    print: () => window.print(),
    back: () => (writing ? setWriting(false) : go(`/review/${path.review}`)),
  });
  if (shown.error)
    return (
      <Quiet>
        <ProblemNote error={shown.error} />
        <QuietButton asChild>
          <A to={`/review/${path.review}`}>To the Board</A>
        </QuietButton>
      </Quiet>
    );
  if (!r) return <Quiet>Loading</Quiet>;
  return (
    <Box overflowY="auto" h="100%">
      <Box maxW="1060px" p={{ base: "14px", md: "20px 24px" }} data-testid="recipe-page">
        <Flex gap="8px 14px" wrap="wrap" align="baseline">
          <Text as="h1" fontSize="20px" fontWeight="600">
            {r.display}: {r.name}
          </Text>
          <Text color="ink3">
            towards {r.target} · sample {r.sample}
            {r.firmware ? ` · firmware ${r.firmware}` : ""}
          </Text>
          <Box flex="1" />
          <Flex gap="8px" className="no-print">
            <QuietButton asChild>
              <a
                href={`/api/v1/reviews/${path.review}/setups/${path.setup}/recipe`}
                download={`recipe-${path.setup}.json`}
              >
                JSON
              </a>
            </QuietButton>
            <QuietButton onClick={() => setWriting((w) => !w)} aria-expanded={writing}>
              Write <Key>e</Key>
            </QuietButton>
            <QuietButton onClick={() => window.print()}>
              Print <Key>p</Key>
            </QuietButton>
            <QuietButton asChild>
              <A to={`/review/${path.review}`}>
                Board <Key>esc</Key>
              </A>
            </QuietButton>
          </Flex>
        </Flex>
        <Flex gap="32px" mt="14px" direction={{ base: "column", lg: "row" }} align="flex-start">
          <Box flex="1" minW="0" w="100%">
            {writing && <Notes recipe={r} done={() => setWriting(false)} />}
            <Steps recipe={r} />
          </Box>
          <Box w={{ base: "100%", lg: "430px" }}>
            <Purposes recipe={r} />
            <Text as="h2" fontWeight="600" mb="6px">
              What it promises
            </Text>
            <Promised recipe={r} />
            {r.enter.length > 0 && (
              <Box mt="16px" data-testid="to-enter">
                <Text as="h2" fontWeight="600" mb="4px">
                  Where a game or the system asks
                </Text>
                {r.enter.map((line) => (
                  <Text key={line}>{line}</Text>
                ))}
              </Box>
            )}
            <Box mt="14px" color="ink2" fontSize="12.5px">
              {r.caveats.map((c) => (
                <Text key={c} mt="3px">
                  {c}
                </Text>
              ))}
            </Box>
            <Flex gap="8px" mt="16px" wrap="wrap" className="no-print">
              {r.samples.map((s) =>
                s.same ? (
                  <LampButton
                    key={s.unit}
                    disabled={busy || waiting !== undefined}
                    onClick={() => start.mutate(null)}
                    data-testid="replay-start"
                  >
                    Replay it <Key on>r</Key>
                  </LampButton>
                ) : (
                  <QuietButton
                    key={s.unit}
                    disabled={busy || waiting !== undefined}
                    onClick={() => start.mutate(s.unit)}
                    data-testid={`replay-on-${s.sample}`}
                  >
                    On sample {s.sample}
                  </QuietButton>
                ),
              )}
            </Flex>
            {start.error && <ProblemNote error={start.error} />}
            <Replays recipe={r} />
            {waiting && <Proof key={waiting.id} replay={waiting} recipe={r} />}
          </Box>
        </Flex>
      </Box>
    </Box>
  );
}
