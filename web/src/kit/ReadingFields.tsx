import { Box, Flex, Grid, Text } from "@chakra-ui/react";
import { type ReactNode, useEffect, useImperativeHandle, useRef } from "react";
import { useLocation } from "react-router";
import { ApiError } from "../api/client";
import { Key, LampButton, ProblemNote, QuietButton } from "./basics";
import { useDraft } from "./drafts";
import { Field } from "./field";
import { type Form, MeterForm, useFormTitle, useMeterForm } from "./MeterForm";

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
  /** sure: what is odd was asked about, and is so. */
  onKeep: (form: Form, texts: string[], sure?: boolean) => void;
  /** What the last attempt to keep them ran into. */
  error?: unknown;
  handle?: React.Ref<Confirmed>;
  /** What the button says. */
  keep?: string;
  children?: ReactNode;
}

/** What a meter shows of a few patches, typed: Enter goes to the next field, and at the last keeps them all. */
export function ReadingFields({
  patches,
  of,
  luminance = false,
  busy,
  onKeep,
  handle,
  keep: words = "Save the readings",
  error,
  children,
}: Props) {
  const [form, setForm] = useMeterForm();
  const { pathname, search } = useLocation();
  const draft = useDraft<string[]>(`readings ${pathname}${search} ${of}`, []);
  const texts = draft.value;
  const fields = useRef<(HTMLInputElement | null)[]>([]);
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
  const title = useFormTitle(form);
  const problem = error instanceof ApiError ? error.problem : null;
  const asked = problem?.type.endsWith("odd-reading") ?? false;
  // The field in question, its text selected, so that typing replaces it.
  const again = () => {
    const at = Number(problem?.place?.split(".")[1] ?? 0);
    fields.current[at]?.focus();
    fields.current[at]?.select();
  };
  // A column that is pasted fills the fields from there on.
  const paste = (from: number, text: string) => {
    const lines = text.split(/\r?\n/).filter((l) => l.trim());
    if (lines.length < 2) return false;
    draft.set(all.map((t, j) => (j >= from ? (lines[j - from] ?? t) : t)));
    return true;
  };
  return (
    <Box mt="16px">
      {patches.length > 0 && (
        <>
          <Flex gap="10px" align="center" mb="6px" color="ink3" fontSize="11px">
            Then read, {title}
            <MeterForm value={form} onChange={setForm} among={(f) => f !== "Y" || luminance} h="24px" />
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
                onChange={(v) => draft.set(all.map((t, j) => (j === i ? v : t)))}
                onPaste={(text) => paste(i, text)}
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
      {error != null && (
        <Box mt="12px">
          <ProblemNote error={error}>
            {asked && (
              <Flex gap="8px" mt="8px">
                <QuietButton onClick={() => onKeep(form, all, true)} disabled={!whole || busy} data-testid="sure">
                  It is so
                </QuietButton>
                <QuietButton onClick={again}>Type it again</QuietButton>
              </Flex>
            )}
          </ProblemNote>
        </Box>
      )}
      <LampButton mt="12px" disabled={!whole || busy} onClick={keep} data-testid="keep-readings">
        {patches.length > 0 ? words : "Done"} <Key on>{patches.length > 0 ? "↵" : "space"}</Key>
      </LampButton>
      {patches.length > 0 && (
        <Text color="ink3" fontSize="11.5px" mt="8px">
          {handle && (
            <>
              <Key>space</Key> says that all is entered and goes to the first reading ·{" "}
            </>
          )}
          a dash says that the meter is under its floor · a whole column can be pasted
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
  onPaste,
  onEnter,
}: {
  patch: FieldPatch;
  value: string;
  place: (e: HTMLInputElement | null) => void;
  onChange: (v: string) => void;
  /** Told what is pasted; whether it was taken. */
  onPaste: (text: string) => boolean;
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
        aria-label={`Meter reading of ${patch.code}`}
        placeholder={patch.expected == null ? "" : `about ${patch.expected.toPrecision(3)} cd/m²`}
        value={value}
        autoComplete="off"
        h="30px"
        onChange={(e) => onChange(e.target.value)}
        onPaste={(e) => onPaste(e.clipboardData.getData("text")) && e.preventDefault()}
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
