import { Box, Flex, Grid, Text } from "@chakra-ui/react";
import { type RefObject, useRef, useState } from "react";
import { type Consequences, type ControlView, call, type SetupView } from "../../api/client";
import { useAct, useSetup } from "../../api/queries";
import { Key, LampButton, Mono, ProblemNote, QuietButton } from "../../parts/basics";
import { Dialog } from "../../parts/Dialog";
import { Field, Select } from "../../parts/field";

type Values = Record<string, number | string | null>;

function Control({
  control,
  value,
  onChange,
}: {
  control: ControlView;
  value: number | string | null;
  onChange: (v: number | string) => void;
}) {
  const id = `control-${control.path}`;
  const changed = value !== control.default;
  const numeric = control.kind === "slider" || control.kind === "notches";
  return (
    <>
      <Text as="label" color={changed ? "ink" : "ink2"} fontWeight={changed ? 500 : 400} {...{ htmlFor: id }}>
        {control.path.replaceAll(">", "›")}
      </Text>
      {numeric ? (
        <Field
          id={id}
          type="number"
          min={control.minimum}
          max={control.maximum}
          step={control.step}
          value={value ?? ""}
          placeholder="not known"
          disabled={control.locked != null}
          onChange={(e) => onChange(e.target.value === "" ? "" : Number(e.target.value))}
          w="92px"
          textAlign="right"
        />
      ) : (
        <Select
          id={id}
          value={value == null ? "" : String(value)}
          disabled={control.locked != null}
          onChange={(e) => onChange(e.target.value)}
        >
          {value == null && <option value="">not known</option>}
          {control.choices.map((c) => (
            <option key={c}>{c}</option>
          ))}
        </Select>
      )}
      <Text color="ink3" fontSize="11.5px">
        {control.locked ??
          `${numeric ? `${control.minimum} to ${control.maximum}${control.kind === "notches" ? " notches" : ""}, ` : ""}default ${control.default ?? "not known"}${
            control.scope === "unit" ? ", shared by all modes" : ""
          }`}
      </Text>
    </>
  );
}

const last = (path: string) => path.split(" > ").at(-1) ?? path;

/** What a change resets, locks and frees, in a sentence. */
function inWords(path: string, value: unknown, c: Consequences): string {
  const resets = c.resets.map(([p, was, becomes]) => `${last(String(p))} ${was ?? "?"} → ${becomes ?? "?"}`);
  const said = [
    resets.length && `resets ${resets.join(", ")}`,
    c.locks.length && `locks ${c.locks.map(last).join(", ")}`,
    c.frees.length && `frees ${c.frees.map(last).join(", ")}`,
  ].filter(Boolean);
  return `${last(path)} at ${value} ${said.join(" and ")}.`;
}

export interface Saved {
  setup: number;
  name: string;
  before: Values;
}

interface Props {
  review: number;
  setup: number;
  close: () => void;
  onSaved: (saved: Saved) => void;
}

function Body({
  review,
  view,
  close,
  onSaved,
  edited,
}: {
  review: number;
  view: SetupView;
  close: (sure?: boolean) => void;
  onSaved: Props["onSaved"];
  edited: RefObject<boolean>;
}) {
  const given: Values = Object.fromEntries(view.controls.map((c) => [c.path, c.value]));
  const [values, setValues] = useState<Values>(given);
  const [name, setName] = useState("");
  const [firmware, setFirmware] = useState(view.firmware);
  const touched = ["board", "setup", "shelf", "verdict", "compare", "plates", "look"];
  const change = useAct(
    (settings: Values) => call("PUT", `/reviews/${review}/setups/${view.setup}`, { settings }),
    touched,
  );
  const add = useAct(
    (body: { name: string; settings: Values }) =>
      call("POST", `/reviews/${review}/setups`, { like: view.setup, ...body }),
    touched,
  );
  const remove = useAct(() => call("DELETE", `/reviews/${review}/setups/${view.setup}`), touched);
  const flash = useAct((f: string) => call("PUT", `/units/${view.unit}/firmware`, { firmware: f }), touched);
  const different = Object.fromEntries(Object.entries(values).filter(([k, v]) => v !== given[k]));
  const dirty = Object.keys(different).length > 0;
  edited.current = dirty || name.trim() !== "" || firmware !== view.firmware;
  const error = change.error ?? add.error ?? remove.error ?? flash.error;
  const [told, setTold] = useState<(Consequences & { path: string }) | null>(null);
  const asked = useRef(0);
  /** What a change would bring with it, asked of the menu before it is made; only the last question counts. */
  const foresee = (path: string, value: number | string) => {
    const mine = ++asked.current;
    const others = Object.entries(different).filter(([k, v]) => k !== path && v !== null && v !== "");
    const body = { changes: Object.fromEntries(others), path, value };
    call<Consequences>("POST", `/reviews/${review}/setups/${view.setup}/consequences`, body).then(
      (c) => {
        const any = c.resets.length + c.locks.length + c.frees.length > 0;
        if (mine === asked.current) setTold(any ? { ...c, path } : null);
      },
      () => mine === asked.current && setTold(null),
    );
  };
  const save = () =>
    change.mutate(different, {
      onSuccess: () => {
        const before = Object.fromEntries(Object.keys(different).map((k) => [k, given[k] as number | string]));
        onSaved({ setup: view.setup, name: view.name, before });
        close(true);
      },
    });
  return (
    <>
      <Flex justify="space-between" align="center" mb="4px">
        <Text as="h2" fontSize="16px" fontWeight="600">
          Settings of {view.name}
        </Text>
        <QuietButton onClick={() => close()}>
          Close <Key>esc</Key>
        </QuietButton>
      </Flex>
      <Text color="ink2" mb="12px">
        What was measured with other values is kept and counts as stale until it is measured again.
      </Text>
      <Grid
        templateColumns="minmax(160px, 1fr) auto minmax(0, 1.3fr)"
        gap="6px 14px"
        alignItems="center"
        maxH="46vh"
        overflowY="auto"
        pr="6px"
      >
        {view.controls.map((c) => (
          <Control
            key={c.path}
            control={c}
            value={values[c.path] ?? c.value ?? null}
            onChange={(v) => {
              if (v !== "") foresee(c.path, v);
              setValues((old) => ({ ...old, [c.path]: v }));
            }}
          />
        ))}
      </Grid>
      {told && told.path in different && (
        <Text mt="10px" color="lamp" role="status" data-testid="consequences">
          {inWords(told.path, values[told.path], told)}
        </Text>
      )}
      {error && (
        <Box mt="12px">
          <ProblemNote error={error} />
        </Box>
      )}
      <Flex gap="8px" mt="16px" align="center" wrap="wrap">
        <LampButton disabled={!dirty} onClick={save} data-testid="save-settings">
          Save {dirty ? `${Object.keys(different).length} changed` : ""}
        </LampButton>
        <Box flex="1" />
        <Field
          aria-label="Name of a new setup"
          placeholder="name of a new setup"
          value={name}
          onChange={(e) => setName(e.target.value)}
          w="180px"
          fontFamily="body"
        />
        <QuietButton
          disabled={!name.trim()}
          onClick={() => add.mutate({ name, settings: different }, { onSuccess: () => close(true) })}
          data-testid="save-as"
        >
          Save as a setup of its own
        </QuietButton>
      </Flex>
      <Flex gap="8px" mt="16px" pt="12px" borderTop="1px solid" borderColor="lineSoft" align="center" color="ink2">
        <Text as="label" {...{ htmlFor: "firmware" }}>
          Sample {view.sample}, firmware
        </Text>
        <Field id="firmware" value={firmware} onChange={(e) => setFirmware(e.target.value)} w="110px" />
        <QuietButton
          disabled={firmware === view.firmware}
          onClick={() => flash.mutate(firmware, { onSuccess: () => close(true) })}
        >
          Save firmware version
        </QuietButton>
        <Box flex="1" />
        {view.own && (
          <QuietButton color="ink3" onClick={() => remove.mutate(undefined, { onSuccess: () => close(true) })}>
            Delete {view.name} and its readings
          </QuietButton>
        )}
      </Flex>
    </>
  );
}

/** A setup's controls: change them, keep them as a setup of its own; and the sample's firmware. */
export function SettingsDialog({ review, setup, close, onSaved }: Props) {
  const view = useSetup(review, setup);
  const edited = useRef(false);
  return (
    <Dialog
      label="Settings"
      width="min(760px, 94vw)"
      onClose={close}
      mayClose={() => !edited.current || window.confirm("Settings were changed and are not saved. Close all the same?")}
    >
      {(shut) => (
        <>
          {view.error && <ProblemNote error={view.error} />}
          {view.data ? (
            <Body
              key={view.data.setup}
              review={review}
              view={view.data}
              close={shut}
              onSaved={onSaved}
              edited={edited}
            />
          ) : (
            <Mono color="ink3">Loading</Mono>
          )}
        </>
      )}
    </Dialog>
  );
}
