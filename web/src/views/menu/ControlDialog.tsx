import { Box, Flex, Grid, Text, Textarea } from "@chakra-ui/react";
import type { MenuControl, MenuMap, Sent } from "../../api/client";
import { Key, LampButton, QuietButton } from "../../kit/basics";
import { Dialog } from "../../kit/Dialog";
import { decimal } from "../../kit/decimal";
import { DraftNote, useDraft } from "../../kit/drafts";
import { Choice, Field } from "../../kit/field";
import { Labelled } from "../../kit/Labelled";
import { rolesWith } from "../../kit/roles";
import { Tick } from "../../kit/toggles";
import { changesOf, useMenuChange } from "./change";

const KINDS = {
  slider: "a slider with numbers",
  notches: "notches without numbers",
  choice: "a choice",
  switch: "a switch",
};
const SCOPES = { unknown: "not known", unit: "all modes", signal: "this signal", mode: "each mode" };
const WHENS = { "": "at any time", sdr: "only while SDR shows", first: "before HDR is sent" };
const PLACES = { unit: "the unit's menu", host: "the host", input: "the way in" };
const WORDS = [
  ["promise", "Promise", "what the menu says it does"],
  ["note", "Note", ""],
  ["evidence", "Known from", "readings or page of the manual"],
  ["route", "Reached by", "if the menu doesn't lead there"],
  ["only", "Only", "what the model needs for it"],
] as const;

const typed = (c: MenuControl) => ({
  path: c.path,
  kind: c.kind,
  minimum: String(c.minimum),
  maximum: String(c.maximum),
  step: String(c.step),
  choices: c.choices.join(" | "),
  default: c.default ?? "",
  place: c.place,
  scope: c.scope,
  role: c.role ?? "",
  bears: c.bears,
  when: c.when,
  promise: c.promise,
  note: c.note,
  evidence: c.evidence,
  route: c.route,
  only: c.only,
});
type Typed = ReturnType<typeof typed>;

function changed(v: Typed, was: Typed): Sent<"ControlFields"> {
  const out: Record<string, unknown> = {};
  const numeric = v.kind === "slider" || v.kind === "notches";
  for (const key of Object.keys(v) as (keyof Typed)[]) {
    if (v[key] === was[key]) continue;
    if (key === "minimum" || key === "maximum" || key === "step") out[key] = decimal(v[key]);
    else if (key === "choices")
      out[key] = v.choices
        .split("|")
        .map((c) => c.trim())
        .filter(Boolean);
    else if (key === "default") out[key] = v.default === "" ? null : numeric ? decimal(v.default) : v.default;
    else if (key === "role") out[key] = v.role || null;
    else out[key] = v[key];
  }
  return out as Sent<"ControlFields">;
}

/** Correct what is known of a control, in place. */
export function ControlDialog({
  review,
  map,
  control,
  close,
}: {
  review: number;
  map: MenuMap;
  control: MenuControl;
  close: () => void;
}) {
  const was = typed(control);
  const draft = useDraft(`control ${map.unit} ${map.version} ${control.path}`, was);
  const v = draft.value;
  const change = useMenuChange(changesOf(review, map).control);
  const set = (w: Partial<Typed>) => draft.set((old) => ({ ...old, ...w }));
  const fields = changed(v, was);
  const dirty = Object.keys(fields).length > 0;
  const numeric = v.kind === "slider" || v.kind === "notches";
  const text = (key: keyof Typed, width = "100%") => (
    <Field w={width} value={String(v[key])} onChange={(e) => set({ [key]: e.target.value })} />
  );
  return (
    <Dialog label={`Correct ${control.path}`} width="min(720px, 94vw)" onClose={close}>
      {(shut) => (
        <Box
          as="form"
          onSubmit={(e) => {
            e.preventDefault();
            change.run({ path: control.path, fields }, () => {
              draft.clear();
              shut(true);
            });
          }}
          data-testid="control-form"
        >
          <Flex justify="space-between" align="center" mb="10px">
            <Text as="h2" fontSize="16px" fontWeight="600">
              {control.path.replaceAll(">", "›")}
            </Text>
            <QuietButton onClick={() => shut()}>
              Close <Key>esc</Key>
            </QuietButton>
          </Flex>
          <DraftNote draft={draft} />
          <Grid templateColumns={{ base: "1fr", md: "repeat(6, minmax(0, 1fr))" }} gap="10px 14px">
            <Box gridColumn={{ md: "span 4" }}>
              <Labelled label="Path in the menu" width="100%">
                <Field w="100%" fontFamily="body" value={v.path} onChange={(e) => set({ path: e.target.value })} />
              </Labelled>
            </Box>
            <Box gridColumn={{ md: "span 2" }}>
              <Labelled label="Kind" width="100%">
                <Choice w="100%" value={v.kind} choices={KINDS} onChange={(kind) => set({ kind })} />
              </Labelled>
            </Box>
            {numeric ? (
              <>
                <Labelled label="From" width="100%">
                  {text("minimum")}
                </Labelled>
                <Labelled label="to" width="100%">
                  {text("maximum")}
                </Labelled>
                <Labelled label="in steps of" width="100%">
                  {text("step")}
                </Labelled>
              </>
            ) : (
              v.kind === "choice" && (
                <Box gridColumn={{ md: "span 3" }}>
                  <Labelled label="Values, parted by |" width="100%">
                    <Field
                      w="100%"
                      fontFamily="body"
                      value={v.choices}
                      onChange={(e) => set({ choices: e.target.value })}
                    />
                  </Labelled>
                </Box>
              )
            )}
            <Labelled label="Default" width="100%">
              <Field
                w="100%"
                placeholder="not known"
                value={v.default}
                onChange={(e) => set({ default: e.target.value })}
              />
            </Labelled>
            <Box gridColumn={{ md: "span 2" }}>
              <Labelled label="Where it is" width="100%">
                <Choice w="100%" value={v.place} choices={PLACES} onChange={(place) => set({ place })} />
              </Labelled>
            </Box>
            <Box gridColumn={{ md: "span 2" }}>
              <Labelled label="Set for" width="100%">
                <Choice w="100%" value={v.scope} choices={SCOPES} onChange={(scope) => set({ scope })} />
              </Labelled>
            </Box>
            <Box gridColumn={{ md: "span 2" }}>
              <Labelled label="What it sets" width="100%">
                <Choice w="100%" value={v.role} choices={rolesWith(v.role)} onChange={(role) => set({ role })} />
              </Labelled>
            </Box>
            <Box gridColumn={{ md: "span 2" }}>
              <Labelled label="It can be set" width="100%">
                <Choice w="100%" value={v.when} choices={WHENS} onChange={(when) => set({ when })} />
              </Labelled>
            </Box>
            <Box gridColumn={{ md: "span 2" }} alignSelf="end" pb="6px">
              <Tick checked={v.bears} onChange={(bears) => set({ bears })}>
                can change what is measured
              </Tick>
            </Box>
            {WORDS.map(([key, label, hint]) => (
              <Box key={key} gridColumn={{ md: "span 3" }}>
                <Labelled label={label} hint={hint} width="100%">
                  <Textarea
                    rows={1}
                    maxLength={300}
                    w="100%"
                    fontSize="13px"
                    value={v[key]}
                    onChange={(e) => set({ [key]: e.target.value.replaceAll("\n", " ") })}
                  />
                </Labelled>
              </Box>
            ))}
          </Grid>
          {change.question && <Box mt="12px">{change.question}</Box>}
          <Flex mt="14px">
            <LampButton type="submit" disabled={!dirty} loading={change.pending}>
              Save
            </LampButton>
          </Flex>
        </Box>
      )}
    </Dialog>
  );
}
