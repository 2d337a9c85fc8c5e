import { Box, chakra, Flex, Input, Table, Text } from "@chakra-ui/react";
import { type FormEvent, useState } from "react";
import type { Tuning } from "../../api/client";
import { Key, LampButton, Mono, ProblemNote, QuietButton } from "../../kit/basics";
import type { Form } from "../../kit/MeterForm";
import { type Confirmed, ReadingFields } from "../../kit/ReadingFields";

type StepOf = NonNullable<Tuning["step"]>;

/** What to enter, in the menu's words and as few key presses as it takes. */
function Entries({ step }: { step: StepOf }) {
  if (step.entries.length === 0) return <Text color="ink2">Nothing is to be changed; only read.</Text>;
  return (
    <Table.Root fontSize="14px" aria-label="What to enter" w="auto">
      <Table.Body>
        {step.entries.map((e) => (
          <Table.Row key={e.path} data-testid="entry" data-path={e.path}>
            <Table.Cell pl="0" pr="18px" py="4px">
              <Text as="span" color="ink3" fontSize="12px">
                {e.path.split(" > ").slice(0, -1).join(" › ")}
                {e.path.includes(" > ") ? " › " : ""}
              </Text>
              {e.name}
            </Table.Cell>
            <Table.Cell textAlign="end" pr="14px" color="ink3">
              <Mono>{e.was}</Mono>
            </Table.Cell>
            <Table.Cell pr="14px" fontWeight="600" color="lamp" whiteSpace="nowrap">
              <Mono data-testid="entry-value">{e.value}</Mono>
            </Table.Cell>
            <Table.Cell color="ink2" whiteSpace="nowrap">
              {e.presses}
            </Table.Cell>
          </Table.Row>
        ))}
      </Table.Body>
    </Table.Root>
  );
}

/** The next attempt. Where the bench reads the person watches; else the readings are typed. */
export function Step({
  tuning,
  step,
  busy,
  error,
  onKeep,
  handle,
}: {
  tuning: Tuning;
  step: StepOf;
  busy: boolean;
  error: unknown;
  onKeep: (form: Form, texts: string[], sure?: boolean) => void;
  handle: React.Ref<Confirmed>;
}) {
  const alone = step.patches.every((p) => p.rgb.every((v) => v === 1));
  return (
    <Box data-testid="step">
      <Text color="ink3" fontSize="11px">
        Attempt {step.number}: {step.title}
      </Text>
      <Text fontSize="15px" mt="2px" mb="12px" data-testid="why">
        {step.why}
      </Text>
      <Text color="ink3" fontSize="11px" mb="2px">
        {tuning.by_hand ? "Enter, in this order" : "The remote enters"}
      </Text>
      <Entries step={step} />
      {tuning.by_hand ? (
        <ReadingFields
          patches={step.patches}
          of={step.number}
          luminance={alone && step.goal.startsWith("luminance")}
          busy={busy}
          onKeep={onKeep}
          error={error}
          handle={handle}
        />
      ) : (
        <Text color="ink2" mt="14px">
          Then it reads{" "}
          {step.patches.length > 4 ? `${step.patches.length} patches` : step.patches.map((p) => p.code).join(", ")}.
        </Text>
      )}
    </Box>
  );
}

/** A reading that nothing but a wrong entry explains. */
export function Question({
  question,
  error,
  onAnswer,
}: {
  question: NonNullable<Tuning["question"]>;
  error: Error | null;
  onAnswer: (seems: boolean, stands?: string) => void;
}) {
  const [other, setOther] = useState("");
  return (
    <Box
      border="1px solid"
      borderColor="lamp"
      borderRadius="6px"
      p="14px"
      mb="16px"
      role="alert"
      data-testid="question"
    >
      <Text fontWeight="600">{question.sentence}</Text>
      <Text color="ink2" mt="4px" mb="10px">
        Check the menu: which value does it show?
      </Text>
      <Flex gap="10px">
        <LampButton onClick={() => onAnswer(true)}>
          It is <Mono>{question.seems}</Mono> <Key on>1</Key>
        </LampButton>
        <QuietButton onClick={() => onAnswer(false)}>
          It is <Mono>{question.entered}</Mono> <Key>2</Key>
        </QuietButton>
        <chakra.form
          ml="12px"
          onSubmit={(e: FormEvent) => {
            e.preventDefault();
            if (other.trim()) onAnswer(false, other.trim());
          }}
        >
          <Flex gap="6px" align="center">
            <Text color="ink2" whiteSpace="nowrap">
              or
            </Text>
            <Input
              size="sm"
              w="72px"
              aria-label="What stands there"
              value={other}
              onChange={(e) => setOther(e.target.value)}
              data-testid="stands"
            />
            <QuietButton type="submit" disabled={!other.trim()}>
              It is that
            </QuietButton>
          </Flex>
        </chakra.form>
      </Flex>
      {error && (
        <Box mt="10px">
          <ProblemNote error={error} />
        </Box>
      )}
    </Box>
  );
}
