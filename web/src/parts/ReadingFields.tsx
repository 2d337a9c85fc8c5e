import { Box, Flex, Grid, Text } from "@chakra-ui/react";
import { type ReactNode, useEffect, useImperativeHandle, useRef, useState } from "react";
import type { Sent } from "../api/client";
import { useForms } from "../api/queries";
import { Key, LampButton } from "./basics";
import { Field, Select } from "./field";

const FORM = "lumenar-form";
export type Form = Sent<"AttemptReadings">["form"];
export interface FieldPatch {
  code: string;
  rgb: readonly number[];
  /** The luminance that it should have, where anything is expected. */
  expected?: number | null;
}
/** Who holds it can go to the first empty field, or keep what is typed. */
export interface Confirmed {
  confirm: () => void;
}

const colour = (rgb: readonly number[]) =>
  `rgb(${rgb.map((v) => Math.round(255 * Math.min(1, Math.max(0, v)))).join(" ")})`;

interface Props {
  patches: readonly FieldPatch[];
  /** Differs for each set of patches: another begins with empty fields. */
  of: string | number;
  /** Whether a luminance alone is enough. */
  luminance?: boolean;
  busy: boolean;
  onKeep: (form: Form, texts: string[]) => void;
  handle: React.Ref<Confirmed>;
  children?: ReactNode;
}

/** What a meter shows of a few patches, typed: Enter goes to the next field, and at the last keeps them all. */
export function ReadingFields({ patches, of, luminance = false, busy, onKeep, handle, children }: Props) {
  const forms = useForms();
  const [form, setForm] = useState<Form>(() => {
    const kept = localStorage.getItem(FORM);
    return kept === "Yxy" || kept === "Yuv" ? kept : "XYZ";
  });
  const [texts, setTexts] = useState<string[]>([]);
  const fields = useRef<(HTMLInputElement | null)[]>([]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another step begins with empty fields
  useEffect(() => setTexts([]), [of]);
  const all = patches.map((_, i) => texts[i] ?? "");
  const whole = all.every((t) => t.trim() !== "");
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
    <Box mt="16px">
      {patches.length > 0 && (
        <>
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
                ?.filter((f) => f.key !== "Y" || luminance)
                .map((f) => (
                  <option key={f.key} value={f.key}>
                    {f.title}
                  </option>
                ))}
            </Select>
          </Flex>
          <Grid templateColumns="16px 92px 1fr" gap="6px 10px" alignItems="center" maxW="400px">
            {patches.map((p, i) => (
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
        </>
      )}
      {children}
      <LampButton mt="12px" disabled={!whole || busy} onClick={keep} data-testid="keep-readings">
        {patches.length > 0 ? "Keep the readings" : "Done"} <Key on>{patches.length > 0 ? "↵" : "space"}</Key>
      </LampButton>
      {patches.length > 0 && (
        <Text color="ink3" fontSize="11.5px" mt="8px">
          <Key>space</Key> says that all is entered and goes to the first reading · a dash says that the meter is under
          its floor
        </Text>
      )}
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
  patch: FieldPatch;
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
