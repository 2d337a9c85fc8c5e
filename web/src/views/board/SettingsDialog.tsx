import { Box, Flex, Tabs, Text } from "@chakra-ui/react";
import { type RefObject, useRef, useState } from "react";
import { useAct } from "../../api/act";
import { api, type Consequences, from, got, type Sent, type SetupView } from "../../api/client";
import { Key, LampButton, Mono, ProblemNote, QuietButton } from "../../kit/basics";
import { Dialog } from "../../kit/Dialog";
import { Field } from "../../kit/field";
import { short } from "../../kit/paths";
import { useSetup } from "./queries";
import { About, edited as changedWords, wordsOf } from "./settings/About";
import { Controls, type Values } from "./settings/Controls";
import { PastChanges, RecallList } from "./settings/Past";

/** What a change resets, locks and frees, in a sentence. */
function inWords(path: string, value: unknown, c: Consequences): string {
  const resets = c.resets.map(([p, was, becomes]) => `${short(String(p))} ${was ?? "?"} → ${becomes ?? "?"}`);
  const said = [
    resets.length && `resets ${resets.join(", ")}`,
    c.locks.length && `locks ${c.locks.map(short).join(", ")}`,
    c.frees.length && `frees ${c.frees.map(short).join(", ")}`,
  ].filter(Boolean);
  return `${short(path)} at ${value} ${said.join(" and ")}.`;
}

export interface Saved {
  setup: number;
  name: string;
  /** What it is now, so that it is taken back only while it is. */
  version: string;
}

interface Props {
  review: number;
  setup: number;
  close: () => void;
  onSaved: (saved: Saved) => void;
}

const TOUCHED = ["board", "setup", "shelf", "verdict", "compare", "plates", "look", "menu", "history", "recall"];

function Body({
  review,
  view,
  close,
  onSaved,
  edited,
  tab,
  onTab,
}: {
  review: number;
  view: SetupView;
  close: (sure?: boolean) => void;
  onSaved: Props["onSaved"];
  edited: RefObject<boolean>;
  /** Which part is shown; it stays while the setup itself is read anew. */
  tab: string;
  onTab: (tab: string) => void;
}) {
  const given: Values = Object.fromEntries(view.controls.map((c) => [c.path, c.value ?? null]));
  const known = new Set(view.controls.filter((c) => c.origin === "read").map((c) => c.path));
  const was = wordsOf(view);
  const [values, setValues] = useState<Values>(given);
  const [read, setRead] = useState<ReadonlySet<string>>(known);
  const [words, setWords] = useState(was);
  const [newName, setNewName] = useState("");
  const [firmware, setFirmware] = useState(view.firmware);
  type Body = Sent<"Settings">;
  const change = useAct(
    (body: Body) =>
      got(
        api.PATCH("/api/v1/reviews/{review}/setups/{setup}", {
          params: { path: { review, setup: view.setup } },
          body,
          ...from(view.version),
        }),
      ),
    TOUCHED,
  );
  const add = useAct(
    (body: Body) =>
      got(
        api.POST("/api/v1/reviews/{review}/setups", {
          params: { path: { review } },
          body: { like: view.setup, ...body },
        }),
      ),
    TOUCHED,
  );
  const remove = useAct(
    () =>
      got(api.DELETE("/api/v1/reviews/{review}/setups/{setup}", { params: { path: { review, setup: view.setup } } })),
    TOUCHED,
  );
  const flash = useAct(
    (f: string) =>
      got(
        api.PATCH("/api/v1/samples/{sample}", {
          params: { path: { sample: view.unit } },
          body: { firmware: f },
          ...from(view.unit_version),
        }),
      ),
    TOUCHED,
  );
  const different = Object.fromEntries(Object.entries(values).filter(([k, v]) => v !== given[k]));
  const newlyRead = [...read].filter((p) => !known.has(p) || p in different);
  const others = changedWords(words, was);
  const body = { settings: different, read: newlyRead, ...others };
  const count =
    Object.keys(different).length + newlyRead.filter((p) => !(p in different)).length + Object.keys(others).length;
  const dirty = count > 0;
  edited.current = dirty || newName.trim() !== "" || firmware !== view.firmware;
  const error = change.error ?? add.error ?? remove.error ?? flash.error;
  const [told, setTold] = useState<(Consequences & { path: string }) | null>(null);
  const asked = useRef(0);
  /** What a change would bring with it, asked of the menu before it is made; only the last question counts. */
  const foresee = (path: string, value: number | string) => {
    const mine = ++asked.current;
    const rest = Object.entries(different).flatMap(([k, v]) =>
      k === path || v === null || v === "" ? [] : [[k, v] as const],
    );
    const wish = { changes: Object.fromEntries(rest), path, value };
    got(
      api.POST("/api/v1/reviews/{review}/setups/{setup}/consequences", {
        params: { path: { review, setup: view.setup } },
        body: wish,
      }),
    ).then(
      (c) => {
        const any = c.resets.length + c.locks.length + c.frees.length > 0;
        if (mine === asked.current) setTold(any ? { ...c, path } : null);
      },
      () => mine === asked.current && setTold(null),
    );
  };
  const save = () =>
    change.mutate(body, {
      onSuccess: ({ version }) => {
        onSaved({ setup: view.setup, name: words.name, version });
        close(true);
      },
    });
  return (
    <>
      <Flex justify="space-between" align="center" mb="4px">
        <Text as="h2" fontSize="16px" fontWeight="600">
          {view.name}
        </Text>
        <QuietButton onClick={() => close()}>
          Close <Key>esc</Key>
        </QuietButton>
      </Flex>
      <Tabs.Root value={tab} onValueChange={(e) => onTab(e.value)} variant="line" lazyMount>
        <Tabs.List mb="10px">
          <Tabs.Trigger value="settings">Settings</Tabs.Trigger>
          <Tabs.Trigger value="about">Target, room and signal</Tabs.Trigger>
          <Tabs.Trigger value="recall">Recall list</Tabs.Trigger>
          <Tabs.Trigger value="past">Changes{view.changes > 0 ? ` (${view.changes})` : ""}</Tabs.Trigger>
        </Tabs.List>
        <Tabs.Content value="settings" p="0">
          <Text color="ink2" mb="12px">
            What was measured with other values is kept and counts as stale until it is measured again. Tick <i>read</i>{" "}
            where a value was read off the display rather than assumed.
          </Text>
          <Controls
            controls={view.controls}
            values={values}
            read={read}
            onChange={(path, v) => {
              if (v !== "" && v !== null) foresee(path, v);
              setValues((old) => ({ ...old, [path]: v === "" ? null : v }));
            }}
            onRead={(path, on) => setRead((old) => new Set(on ? [...old, path] : [...old].filter((p) => p !== path)))}
          />
        </Tabs.Content>
        <Tabs.Content value="about" p="0">
          <About view={view} words={words} onWords={(w) => setWords((old) => ({ ...old, ...w }))} />
        </Tabs.Content>
        <Tabs.Content value="recall" p="0">
          <RecallList review={review} view={view} />
        </Tabs.Content>
        <Tabs.Content value="past" p="0">
          <PastChanges review={review} view={view} touched={TOUCHED} />
        </Tabs.Content>
      </Tabs.Root>
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
          Save {dirty ? `${count} changed` : ""}
        </LampButton>
        <Box flex="1" />
        <Field
          aria-label="Name of a new setup"
          placeholder="name of a new setup"
          maxLength={80}
          value={newName}
          onChange={(e) => setNewName(e.target.value)}
          w="180px"
          fontFamily="body"
        />
        <QuietButton
          disabled={!newName.trim()}
          onClick={() => add.mutate({ ...body, name: newName }, { onSuccess: () => close(true) })}
          data-testid="save-as"
        >
          Save as a new setup
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
  const [tab, setTab] = useState("settings");
  return (
    <Dialog
      label="Settings"
      width="min(860px, 94vw)"
      onClose={close}
      mayClose={() => !edited.current || window.confirm("Your changes to the settings are not saved. Close anyway?")}
    >
      {(shut) => (
        <>
          {view.error && <ProblemNote error={view.error} />}
          {view.data ? (
            <Body
              key={`${view.data.setup} ${view.data.changes}`}
              review={review}
              view={view.data}
              close={shut}
              onSaved={onSaved}
              edited={edited}
              tab={tab}
              onTab={setTab}
            />
          ) : (
            <Mono color="ink3">Loading</Mono>
          )}
        </>
      )}
    </Dialog>
  );
}
