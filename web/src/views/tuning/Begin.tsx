import { Box, Flex, Text } from "@chakra-ui/react";
import { useState } from "react";
import type { GoalChoice } from "../../api/client";
import { Key, LampButton, Mono, ProblemNote, Quiet } from "../../kit/basics";
import { Choice } from "../../kit/field";
import { Labelled } from "../../kit/Labelled";
import { NumberField } from "../../kit/NumberField";
import { usePurpose } from "../../kit/purpose";
import { Tick } from "../../kit/toggles";
import { useAims, useGoals } from "./queries";

const OFFERED = [80, 100, 120, 150, 160, 200, 250];

export interface Wished {
  goals: string[];
  luminance: number | null;
  target: string;
  purpose: string;
}

function Goal({ goal, on, onChange }: { goal: GoalChoice; on: boolean; onChange: (on: boolean) => void }) {
  const names = goal.controls.map((p) => p.split(" > ").at(-1));
  const few = names.length > 6 ? `${names.length} controls` : names.join(", ");
  return (
    <Box py="5px" data-testid={`goal-${goal.key}`}>
      <Tick checked={on && !goal.why_not} disabled={goal.why_not !== ""} onChange={onChange}>
        {goal.title}
      </Tick>
      <Text color="ink3" fontSize="12px" pl="26px">
        {goal.why_not || (
          <>
            {few} · about <Mono>{goal.readings}</Mono> readings
          </>
        )}
      </Text>
    </Box>
  );
}

/** What to aim at with a setup, and what it will cost. */
export function Begin({
  review,
  setup,
  busy,
  error,
  onStart,
}: {
  review: number;
  setup: number;
  busy: boolean;
  error: unknown;
  onStart: (w: Wished) => void;
}) {
  const goals = useGoals(review, setup);
  const aims = useAims(review, setup);
  const judged = usePurpose();
  const [purpose, setPurpose] = useState(judged);
  // What the person wants otherwise than the purpose does.
  const [mine, setMine] = useState<{ off?: string[]; luminance?: number | null }>({});
  const failed = goals.error ?? aims.error;
  if (failed) return <ProblemNote error={failed} />;
  const aim = aims.data?.find((a) => a.purpose === purpose) ?? aims.data?.[0];
  if (!goals.data || !aims.data || !aim) return <Quiet>Loading</Quiet>;
  const off = mine.off ?? goals.data.map((g) => g.key).filter((k) => !aim.goals.includes(k));
  const setOff = (keys: string[]) => setMine({ ...mine, off: keys });
  const luminance = mine.luminance !== undefined ? mine.luminance : (aim.luminance ?? null);
  const setLuminance = (v: number | null) => setMine({ ...mine, luminance: v });
  const chosen = goals.data.filter((g) => !g.why_not && !off.includes(g.key));
  const total = chosen.reduce((sum, g) => sum + g.readings, 0);
  const lit = chosen.some((g) => g.key === "luminance");
  const none = goals.data.every((g) => g.why_not);
  return (
    <Box p="16px" maxW="460px">
      <Labelled label="For">
        <Choice
          w="100%"
          value={aim.purpose}
          choices={Object.fromEntries(aims.data.map((a) => [a.purpose, a.title]))}
          onChange={(key) => {
            setPurpose(key);
            setMine({});
          }}
          data-testid="tuning-purpose"
        />
      </Labelled>
      <Text color="ink3" fontSize="12px" mt="4px" mb="14px">
        The target is {aim.target_title}. What counts for this purpose is ticked.
      </Text>
      <Text as="h2" fontWeight="600" mb="6px">
        What to set
      </Text>
      {goals.data.map((g) => (
        <Goal
          key={g.key}
          goal={g}
          on={!off.includes(g.key)}
          onChange={(on) => setOff(on ? off.filter((k) => k !== g.key) : [...off, g.key])}
        />
      ))}
      {lit && (
        <Box mt="12px">
          <Labelled label="Luminance of white, cd/m²">
            <NumberField value={luminance} onChange={setLuminance} min={1} max={10000} w="110px" />
          </Labelled>
          <Flex gap="6px" mt="6px" wrap="wrap" role="group" aria-label="Usual luminances">
            {OFFERED.map((v) => (
              <Box
                as="button"
                key={v}
                onClick={() => setLuminance(v)}
                minW="38px"
                minH="26px"
                px="6px"
                border="1px solid"
                borderColor={v === luminance ? "lamp" : "control"}
                borderRadius="4px"
                cursor="pointer"
                aria-pressed={v === luminance}
              >
                <Mono>{v}</Mono>
              </Box>
            ))}
          </Flex>
        </Box>
      )}
      <Flex mt="20px" gap="12px" align="center">
        <LampButton
          disabled={busy || chosen.length === 0}
          onClick={() =>
            onStart({
              goals: chosen.map((g) => g.key),
              luminance: lit ? luminance : null,
              target: aim.target,
              purpose: aim.purpose,
            })
          }
          data-testid="tuning-start"
        >
          Start tuning
        </LampButton>
        {chosen.length > 0 && (
          <Text color="ink2">
            about <Mono>{total}</Mono> readings
          </Text>
        )}
      </Flex>
      {error != null && <ProblemNote error={error} />}
      {none && goals.data.every((g) => g.controls.length === 0) && (
        <Text color="ink2" mt="12px">
          Enter in the menu map what the controls set: luminance, curve, a channel's gain or offset, a point of a table.
        </Text>
      )}
      <Text color="ink3" fontSize="12px" mt="16px">
        The setup itself doesn't change. You can save the result as a new setup. <Key>esc</Key> leads back to the Board.
      </Text>
    </Box>
  );
}
