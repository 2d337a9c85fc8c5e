import { Flex, Text } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import { useAct } from "../../api/act";
import { api, got, type Plates } from "../../api/client";
import { Mono, ProblemNote, QuietButton } from "../../kit/basics";
import { decimal } from "../../kit/decimal";
import { Field } from "../../kit/field";
import { Labelled } from "../../kit/Labelled";

/** The floor of a meter that nobody stated before the run: what is assumed, and a field to state it. */
export function MeterFloor({ floor }: { floor: NonNullable<Plates["floor"]> }) {
  const was = floor.stated ? String(floor.floor_cd_m2) : "";
  const [text, setText] = useState(was);
  useEffect(() => setText(was), [was]);
  const state = useAct(
    (floor_cd_m2: number | null) =>
      got(api.PUT("/api/v1/runs/{run}/floor", { params: { path: { run: floor.run } }, body: { floor_cd_m2 } })),
    ["plates", "board", "verdict", "recipe", "compare", "instruments"],
  );
  const typed = decimal(text);
  const wrong = Number.isNaN(typed);
  return (
    <Flex
      as="form"
      px="16px"
      pt="10px"
      gap="8px 12px"
      align="flex-end"
      wrap="wrap"
      data-testid="meter-floor"
      onSubmit={(e) => {
        e.preventDefault();
        if (!wrong && (typed !== null || floor.stated)) state.mutate(typed);
      }}
    >
      <Text color={floor.stated ? "ink3" : "lamp"} pb="7px">
        {floor.stated ? (
          <>The floor of {floor.name || "the meter"} was stated after the run.</>
        ) : (
          <>
            The floor of {floor.name || "the meter"} isn't known.{" "}
            <Mono>{Number(floor.floor_cd_m2.toPrecision(2))}</Mono> cd/m² is assumed.
          </>
        )}
      </Text>
      <Labelled label="Meter's floor, cd/m²" width="150px">
        <Field
          w="100%"
          inputMode="decimal"
          placeholder="from its data sheet"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </Labelled>
      {text !== was && (
        <QuietButton type="submit" loading={state.isPending} disabled={wrong || (typed === null && !floor.stated)}>
          Save
        </QuietButton>
      )}
      {text !== was && floor.runs > 1 && (
        <Text color="ink3" fontSize="12px" pb="8px">
          Applies to {floor.runs} runs of this review with this meter.
        </Text>
      )}
      {wrong && (
        <Text role="alert" pb="7px">
          “{text}” isn't a number. Type the floor in cd/m², 0.003 for example.
        </Text>
      )}
      {state.error && <ProblemNote error={state.error} />}
    </Flex>
  );
}
