import { Box, Flex, Grid, Table, Text } from "@chakra-ui/react";
import { useEffect, useImperativeHandle, useRef, useState } from "react";
import type { Sent, Tuning } from "../../api/client";
import { useForms } from "../../api/queries";
import { Key, LampButton, Mono, ProblemNote, QuietButton } from "../../parts/basics";
import { Field, Select } from "../../parts/field";

const FORM = "lumenar-form";
export type Form = Sent<"AttemptReadings">["form"];
type StepOf = NonNullable<Tuning["step"]>;
const colour = (rgb: number[]) => `rgb(${rgb.map((v) => Math.round(255 * Math.min(1, Math.max(0, v)))).join(" ")})`;

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

export interface Confirmed {
  confirm: () => void;
}

/** The next attempt. On a stand-in the person watches; else the readings are typed. */
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
  onKeep: (form: Form, texts: string[]) => void;
  handle: React.Ref<Confirmed>;
}) {
  const forms = useForms();
  const [form, setForm] = useState<Form>(() => {
    const kept = localStorage.getItem(FORM);
    return kept === "Yxy" || kept === "Yuv" ? kept : "XYZ";
  });
  const [texts, setTexts] = useState<string[]>([]);
  const fields = useRef<(HTMLInputElement | null)[]>([]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another step begins with empty fields
  useEffect(() => setTexts([]), [step.number]);
  const all = step.patches.map((_, i) => texts[i] ?? "");
  const whole = all.every((t) => t.trim() !== "");
  const alone = step.patches.every((p) => p.rgb.every((v) => v === 1));
  // Who types fast is ahead of what is being kept: that Enter is of this step, and waits.
  const wanted = useRef(false);
  const keep = () => {
    wanted.current = whole && busy;
    if (whole && !busy) onKeep(form, all);
  };
  useEffect(() => {
    if (wanted.current && !busy) keep();
  });
  useImperativeHandle(handle, () => ({
    confirm: () => {
      const empty = all.findIndex((t) => t.trim() === "");
      if (empty >= 0) fields.current[empty]?.focus();
      else keep();
    },
  }));
  const title = forms.data?.find((f) => f.key === form)?.title ?? form;
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
        <Box mt="16px">
          <Flex gap="10px" align="center" mb="6px" color="ink3" fontSize="11px">
            Then read, {title}
            <Select
              value={form}
              aria-label="What the meter shows"
              h="24px"
              onChange={(e) => {
                setForm(e.target.value as Form);
                localStorage.setItem(FORM, e.target.value);
              }}
            >
              {forms.data
                ?.filter((f) => f.key !== "Y" || (alone && step.goal.startsWith("luminance")))
                .map((f) => (
                  <option key={f.key} value={f.key}>
                    {f.title}
                  </option>
                ))}
            </Select>
          </Flex>
          <Grid templateColumns="16px 92px 1fr" gap="6px 10px" alignItems="center" maxW="400px">
            {step.patches.map((p, i) => (
              <PatchField
                // biome-ignore lint/suspicious/noArrayIndexKey: patches of a step never move
                key={i}
                patch={p}
                value={texts[i] ?? ""}
                place={(e) => {
                  fields.current[i] = e;
                }}
                onChange={(v) => setTexts(all.map((t, j) => (j === i ? v : t)))}
                onEnter={() => {
                  const empty = all.findIndex((t, j) => j !== i && t.trim() === "");
                  if (empty >= 0) fields.current[empty]?.focus();
                  else keep();
                }}
              />
            ))}
          </Grid>
          <LampButton mt="12px" disabled={!whole || busy} onClick={keep} data-testid="keep-readings">
            Keep the readings <Key on>↵</Key>
          </LampButton>
          <Text color="ink3" fontSize="11.5px" mt="8px">
            <Key>space</Key> says that all is entered and goes to the first reading · a dash says that the meter is
            under its floor
          </Text>
        </Box>
      ) : (
        <Text color="ink2" mt="14px">
          Then it reads{" "}
          {step.patches.length > 4 ? `${step.patches.length} patches` : step.patches.map((p) => p.code).join(", ")}.
        </Text>
      )}
      {error != null && <ProblemNote error={error} />}
    </Box>
  );
}

function PatchField({
  patch,
  value,
  place,
  onChange,
  onEnter,
}: {
  patch: StepOf["patches"][number];
  value: string;
  place: (e: HTMLInputElement | null) => void;
  onChange: (v: string) => void;
  onEnter: () => void;
}) {
  return (
    <>
      <Box
        data-swatch
        w="16px"
        h="16px"
        border="1px solid"
        borderColor="control"
        style={{ background: colour(patch.rgb) }}
      />
      <Text>{patch.code}</Text>
      <Field
        ref={place}
        aria-label={`What the meter says of ${patch.code}`}
        placeholder={patch.expected == null ? "" : `about ${patch.expected.toPrecision(3)} cd/m²`}
        value={value}
        autoComplete="off"
        h="30px"
        onChange={(e) => onChange(e.target.value)}
        onKeyDown={(e) => {
          if (e.key !== "Enter") return;
          e.preventDefault();
          onEnter();
        }}
        data-testid="reading"
      />
    </>
  );
}

/** A reading that nothing but a wrong entry explains. */
export function Question({
  question,
  onAnswer,
}: {
  question: NonNullable<Tuning["question"]>;
  onAnswer: (seems: boolean) => void;
}) {
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
        Look at the menu: what stands there?
      </Text>
      <Flex gap="10px">
        <LampButton onClick={() => onAnswer(true)}>
          It is <Mono>{question.seems}</Mono> <Key on>1</Key>
        </LampButton>
        <QuietButton onClick={() => onAnswer(false)}>
          It is <Mono>{question.entered}</Mono> <Key>2</Key>
        </QuietButton>
      </Flex>
    </Box>
  );
}
