import { Box, Flex, Grid, Table, Text } from "@chakra-ui/react";
import type { Sent } from "../../api/client";
import { ProblemNote, Quiet, QuietButton, TakeOff } from "../../kit/basics";
import { DraftNote, useDraft } from "../../kit/drafts";
import { Choice, Field } from "../../kit/field";
import { Labelled } from "../../kit/Labelled";
import { NumberField } from "../../kit/NumberField";
import { Tick } from "../../kit/toggles";
import { CostOf } from "../findout/CostOf";
import { useExperimentCost } from "../findout/queries";
import { useConditionChoices } from "./queries";

export type Question = Sent<"NewExperiment">;
type Factor = Sent<"AskedFactor">;
type Light = Sent<"AskedLight">;

type Which = "alone" | "all" | "chosen";

/** A state: its key, as the API counts lights and values; what is set in it; how many controls are. */
interface State {
  key: string;
  words: string;
  set: number;
}

/** All states: a row for each combination of values, in it a state for each light. The first of all is the baseline. */
function statesOf(lights: Light[], factors: Factor[]): State[][] {
  const combinations = factors.reduce<number[][]>(
    (so, f) => so.flatMap((k) => [0, ...f.values.map((_, i) => i + 1)].map((n) => [...k, n])),
    [[]],
  );
  return combinations.map((levels) => {
    const said = levels.flatMap((n, i) =>
      n ? [`${factors[i]?.path.split(" > ").at(-1)} ${factors[i]?.values[n - 1]}`] : [],
    );
    return lights.map((_, light) => ({
      key: [light, ...levels].join(" "),
      words: said.join(" + ") || "as it stands",
      set: said.length,
    }));
  });
}

/** Which of all states are read. */
function States({
  lights,
  every,
  chosen,
  onChoose,
}: {
  lights: Light[];
  every: State[][];
  chosen: string[];
  onChoose: (keys: string[]) => void;
}) {
  return (
    <Box maxH="300px" overflow="auto" mt="10px">
      <Table.Root fontSize="12.5px" w="auto" aria-label="States that are read" data-testid="states">
        <Table.Header>
          <Table.Row>
            <Table.ColumnHeader pl="0">State</Table.ColumnHeader>
            {lights.map((l, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a light has no other name while it is typed
              <Table.ColumnHeader key={i}>{l.label}</Table.ColumnHeader>
            ))}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {every.map((row) => (
            <Table.Row key={row[0]?.key}>
              <Table.Cell pl="0" pr="18px" py="3px">
                {row[0]?.words}
              </Table.Cell>
              {row.map((s, i) => (
                <Table.Cell key={s.key} py="3px">
                  {i === 0 && s.set === 0 ? (
                    <Text color="ink3">baseline</Text>
                  ) : (
                    <Tick
                      checked={chosen.includes(s.key)}
                      onChange={(on) => onChoose(on ? [...chosen, s.key] : chosen.filter((k) => k !== s.key))}
                      name={`${s.words}, ${lights[i]?.label}`}
                    />
                  )}
                </Table.Cell>
              ))}
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </Box>
  );
}

/** Lights, controls and their values; and what it will take. */
/** What is asked, as far as it is filled in. */
interface Asked {
  lights: Light[];
  factors: Factor[];
  which: Which;
  chosen: string[];
  few: boolean;
  baselines: number | null;
}
const EMPTY: Asked = {
  lights: [{ label: "dark", lux: 0 }],
  factors: [],
  which: "alone",
  chosen: [],
  few: false,
  baselines: null,
};

export function AskConditions({
  review,
  setup,
  byHand,
  busy,
  error,
  onStart,
}: {
  review: number;
  setup: number;
  byHand: boolean;
  busy: boolean;
  error: Error | null;
  /** `started` is called once it has begun. */
  onStart: (q: Question, started: () => void) => void;
}) {
  const choices = useConditionChoices(review, setup);
  const draft = useDraft<Asked>(`conditions ${setup}`, { ...EMPTY, few: byHand });
  const { lights, factors, which, chosen, few, baselines } = draft.value;
  const change = (more: Partial<Asked>) => draft.set((old) => ({ ...old, ...more }));
  const setLights = (lights: Light[]) => change({ lights });
  const setFactors = (factors: Factor[]) => change({ factors });
  const setWhich = (which: Which) => change({ which });
  const setChosen = (chosen: string[]) => change({ chosen });
  const setFew = (few: boolean) => change({ few });
  const setBaselines = (baselines: number | null) => change({ baselines });
  const every = statesOf(lights, factors);
  // What was chosen and is no state any more does not count, and the baseline is read anyhow.
  const known = new Set(
    every
      .flat()
      .slice(1)
      .map((s) => s.key),
  );
  const question: Question = {
    kind: "conditions",
    setup,
    control: "",
    second: "",
    by: "white",
    setups: [],
    conditions: {
      lights,
      factors,
      together: which === "all",
      baselines: baselines ?? 0,
      seed: 1,
      few,
      chosen: which === "chosen" ? chosen.filter((k) => known.has(k)).map((k) => k.split(" ").map(Number)) : [],
    },
  };
  // What is still being typed is not asked about.
  const nameless = lights.some((l) => l.label.trim() === "");
  const dark = lights.find((l) => choices.data?.own_lights && l.lux === null)?.label;
  const wanting = nameless
    ? "Name each room light, such as “dark” or “torch, 30 cm”."
    : dark !== undefined
      ? `The simulated room lights need a value in lux. Enter it for ${dark}.`
      : factors.length === 0 && lights.length < 2
        ? "Add a feature or a second room light to see the plan."
        : which === "chosen" && !chosen.some((k) => known.has(k))
          ? "Choose at least one state to read."
          : "";
  const ready = wanting === "";
  const cost = useExperimentCost(review, choices.data && ready ? question : null);
  if (choices.error) return <ProblemNote error={choices.error} />;
  if (!choices.data) return <Quiet>Loading</Quiet>;
  const { controls, lights: usual } = choices.data;
  const free = controls.filter((c) => !factors.some((f) => f.path === c.path));
  const put = (i: number, f: Partial<Factor>) => setFactors(factors.map((x, n) => (n === i ? { ...x, ...f } : x)));
  const light = (i: number, l: Partial<Light>) => setLights(lights.map((x, n) => (n === i ? { ...x, ...l } : x)));
  const next = usual.find((u) => !lights.some((l) => l.label === u.label));
  return (
    <Grid
      templateColumns={{ base: "minmax(0, 1fr)", lg: "minmax(0, 560px) minmax(0, 1fr)" }}
      gap="36px"
      p="16px"
      overflowY="auto"
    >
      <Box>
        <DraftNote draft={draft} />
        <Text as="h2" fontWeight="600">
          Room light
        </Text>
        <Text color="ink3" fontSize="12px" mb="6px">
          The first light belongs to the baseline. If you didn't measure it, a label such as “torch, 30 cm” is enough.
        </Text>
        {lights.map((l, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a light has no other name while it is typed
          <Flex key={i} gap="8px" align="center" mb="5px" data-testid="asked-light">
            <Field
              aria-label={`What light ${i + 1} is called`}
              value={l.label}
              w="230px"
              maxLength={80}
              onChange={(e) => light(i, { label: e.target.value })}
            />
            <NumberField
              name={`Lux of light ${i + 1}`}
              value={l.lux ?? null}
              min={0}
              w="96px"
              onChange={(v) => light(i, { lux: v })}
            />
            <Text color="ink3">lux</Text>
            {lights.length > 1 && (
              <TakeOff
                aria-label={`Leave ${l.label} out`}
                onClick={() => setLights(lights.filter((_, n) => n !== i))}
              />
            )}
          </Flex>
        ))}
        <QuietButton
          size="sm"
          onClick={() => setLights([...lights, next ? { label: next.label, lux: next.lux } : { label: "", lux: null }])}
          data-testid="add-light"
        >
          Another light{next ? `: ${next.words}` : ""}
        </QuietButton>
        <Text as="h2" fontWeight="600" mt="20px">
          Features to test
        </Text>
        <Text color="ink3" fontSize="12px" mb="6px">
          Automatic features such as light sensors. The baseline uses their current settings.
        </Text>
        {factors.map((f, i) => {
          const c = controls.find((x) => x.path === f.path);
          const offered = c ? (c.every.length > 0 ? c.every.filter((v) => v !== c.stands) : c.values) : [];
          return (
            <Box key={f.path} mb="12px" pl="10px" borderLeft="2px solid" borderColor="line" data-testid="asked-factor">
              <Flex gap="10px" align="center">
                <Text fontWeight="600" title={f.path}>
                  {c?.name ?? f.path}
                </Text>
                <Text color="ink3">set to {c?.stands}</Text>
                <Box flex="1" />
                <TakeOff
                  aria-label={`Leave ${c?.name ?? f.path} out`}
                  onClick={() => setFactors(factors.filter((_, n) => n !== i))}
                />
              </Flex>
              <Flex gap="4px 14px" wrap="wrap" my="4px">
                {offered.map((v) => (
                  <Tick
                    key={v}
                    checked={f.values.includes(v)}
                    onChange={(on) => put(i, { values: on ? [...f.values, v] : f.values.filter((x) => x !== v) })}
                  >
                    {v}
                  </Tick>
                ))}
              </Flex>
              <Field
                aria-label={`What ${c?.name ?? f.path} promises`}
                placeholder="What the maker or the menu promises, such as “does nothing in the dark”"
                value={f.promise ?? ""}
                w="100%"
                maxLength={300}
                onChange={(e) => put(i, { promise: e.target.value })}
              />
            </Box>
          );
        })}
        {free.length > 0 && (
          <Choice
            aria-label="Add a control"
            w="100%"
            value=""
            choices={{
              "": "Add a control…",
              ...Object.fromEntries(free.map((c) => [c.path, c.path.replaceAll(" > ", " › ")])),
            }}
            onChange={(path) => {
              const c = controls.find((x) => x.path === path);
              if (!c) return;
              const values = c.every.length > 0 ? c.every.filter((v) => v !== c.stands) : c.values;
              setFactors([...factors, { path, values: values.slice(0, 4), promise: c.promise }]);
            }}
            data-testid="add-factor"
          />
        )}
        <Flex gap="22px" mt="16px" align="end" wrap="wrap">
          <Labelled label="Which states are read" width="200px">
            <Choice
              aria-label="Which states are read"
              w="100%"
              value={which}
              choices={{ alone: "each control alone", all: "all combinations", chosen: "those that I choose" }}
              onChange={(v) => {
                setWhich(v as Which);
                // It begins with what is read of each alone.
                if (v === "chosen")
                  setChosen(
                    every
                      .flat()
                      .filter((s) => s.set <= 1)
                      .map((s) => s.key),
                  );
              }}
              data-testid="which-states"
            />
          </Labelled>
          <Labelled label="Patches of each state" width="230px">
            <Choice
              aria-label="Patches of each state"
              w="100%"
              value={few ? "few" : "whole"}
              choices={{ few: "5: white, three greys, red", whole: "22: ten greys, twelve colours" }}
              onChange={(v) => setFew(v === "few")}
              data-testid="patches-of-each"
            />
          </Labelled>
          <Labelled label="Baseline read" width="150px">
            <NumberField
              name="How often the baseline is read"
              value={baselines}
              placeholder="as needed"
              onChange={setBaselines}
              w="100%"
            />
          </Labelled>
        </Flex>
        {which === "chosen" && every.length > 0 && (
          <States lights={lights} every={every} chosen={chosen} onChoose={setChosen} />
        )}
      </Box>
      <CostOf
        wanting={wanting}
        cost={cost}
        who={
          byHand
            ? "You set the room light, enter the settings and type the readings"
            : "The bench sets the room light and the settings"
        }
        busy={busy}
        error={error}
        onStart={() => onStart(question, draft.clear)}
      />
    </Grid>
  );
}
