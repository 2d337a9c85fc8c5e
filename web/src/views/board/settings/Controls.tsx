import { Grid, Text } from "@chakra-ui/react";
import { memo, startTransition, useCallback, useEffect, useRef, useState } from "react";
import type { ControlView } from "../../../api/client";
import { Select } from "../../../kit/field";
import { NumberField } from "../../../kit/NumberField";
import { Tick } from "../../../kit/toggles";

export type Value = number | string | null;
export type Values = Record<string, Value>;

const PLACES: Record<string, string> = { host: "on the host", input: "on the way in" };
const ORIGINS: Record<string, string> = { assumed: "assumed", unknown: "", set: "", read: "" };

function about(c: ControlView): string {
  const numeric = c.kind === "slider" || c.kind === "notches";
  const said = [
    numeric && `${c.minimum} to ${c.maximum}${c.kind === "notches" ? " notches" : ""}`,
    `default ${c.default ?? "not known"}`,
    ORIGINS[c.origin],
    c.scope === "unit" && "shared by all modes",
    PLACES[c.place],
    !c.bears && "no effect on accuracy",
  ];
  return c.locked ?? said.filter(Boolean).join(", ");
}

interface Props {
  control: ControlView;
  value: Value;
  read: boolean;
  onChange: (path: string, v: Value) => void;
  onRead: (path: string, read: boolean) => void;
}

/** One control. Of hundreds only the one that changed is drawn anew. */
const Control = memo(function Control({ control, value, read, onChange, onRead }: Props) {
  const id = `control-${control.path}`;
  const changed = value !== control.default;
  const numeric = control.kind === "slider" || control.kind === "notches";
  return (
    <>
      <Text as="label" color={changed ? "ink" : "ink2"} fontWeight={changed ? 500 : 400} {...{ htmlFor: id }}>
        {control.path.replaceAll(">", "›")}
      </Text>
      {numeric ? (
        <NumberField
          id={id}
          min={control.minimum}
          max={control.maximum}
          step={control.step}
          value={value === null || value === "" ? null : Number(value)}
          placeholder="not known"
          disabled={control.locked != null}
          onChange={(v) => onChange(control.path, v ?? "")}
          w="92px"
          textAlign="right"
        />
      ) : (
        <Select
          id={id}
          value={value == null ? "" : String(value)}
          disabled={control.locked != null}
          onChange={(e) => onChange(control.path, e.target.value)}
        >
          {value == null && <option value="">not known</option>}
          {control.choices.map((c) => (
            <option key={c}>{c}</option>
          ))}
        </Select>
      )}
      <Tick
        checked={read}
        disabled={value == null || value === ""}
        onChange={(on) => onRead(control.path, on)}
        name={`${control.path} was read off the display`}
      >
        read
      </Tick>
      <Text color="ink3" fontSize="11.5px">
        {about(control)}
      </Text>
    </>
  );
});

const AT_ONCE = 30;

/** A setup's controls, each with its value and whether somebody read it off the display. */
export function Controls({
  controls,
  values,
  read,
  onChange,
  onRead,
}: {
  controls: ControlView[];
  values: Values;
  read: ReadonlySet<string>;
  onChange: (path: string, v: Value) => void;
  onRead: (path: string, read: boolean) => void;
}) {
  const latest = useRef({ onChange, onRead });
  latest.current = { onChange, onRead };
  const change = useCallback((path: string, v: Value) => latest.current.onChange(path, v), []);
  const mark = useCallback((path: string, on: boolean) => latest.current.onRead(path, on), []);
  // The first ones at once; of hundreds the others follow while the person looks at these.
  const [shown, setShown] = useState(AT_ONCE);
  useEffect(() => startTransition(() => setShown(Number.POSITIVE_INFINITY)), []);
  if (controls.length === 0)
    return <Text color="ink2">No controls are written down yet; the menu map takes them.</Text>;
  return (
    <Grid
      templateColumns="minmax(150px, 1fr) auto auto minmax(0, 1.2fr)"
      gap="6px 14px"
      alignItems="center"
      maxH="42vh"
      overflowY="auto"
      pr="6px"
    >
      {controls.slice(0, shown).map((c) => (
        <Control
          key={c.path}
          control={c}
          value={values[c.path] ?? c.value ?? null}
          read={read.has(c.path)}
          onChange={change}
          onRead={mark}
        />
      ))}
    </Grid>
  );
}
