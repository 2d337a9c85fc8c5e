import { Box, Flex, Grid, Tabs, Text } from "@chakra-ui/react";
import { useRef, useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import { useAct } from "../../api/act";
import type { MenuControl, MenuMap } from "../../api/client";
import { BACK } from "../../app/keymap";
import { useKeys, useTitle } from "../../app/keys";
import { Failed, Key, LampButton, ProblemNote, Quiet, QuietButton } from "../../kit/basics";
import { DraftNote, useDraft } from "../../kit/drafts";
import { Field, Select } from "../../kit/field";
import { short } from "../../kit/paths";
import { Toggle } from "../../kit/toggles";
import { SettingsDialog } from "../board/SettingsDialog";
import { ControlDialog } from "./ControlDialog";
import { changesOf, useMenuChange } from "./change";
import { Identity } from "./Identity";
import { MENU_KEYS } from "./keys";
import { differing, type Entry, entries, words } from "./lines";
import { useFindings, useMenu } from "./queries";
import { MenuPast, TakeOver } from "./TakeOver";
import { type Drawn, Tree } from "./Tree";
import { Area, HowToWrite } from "./writing";

const TOUCHED = ["menu", "board", "shelf", "setup", "verdict", "sheet"];

function Edit({ map, review, done }: { map: MenuMap; review: number; done: () => void }) {
  // A draft of another state of the map would take back what was changed since.
  const draft = useDraft(`menu ${map.unit} ${map.version}`, { modes: map.modes_text, controls: map.controls_text });
  const { modes, controls } = draft.value;
  const save = useMenuChange(changesOf(review, map).texts);
  const saved = () => {
    draft.clear();
    done();
  };
  const changed = modes !== map.modes_text || controls !== map.controls_text;
  return (
    <Grid templateColumns={{ base: "1fr", md: "minmax(0, 1fr) minmax(0, 2fr) minmax(0, 1fr)" }} gap="18px" p="16px">
      <Box>
        <Text fontWeight="600">Modes</Text>
        <Text color="ink3" fontSize="11.5px" mb="4px">
          one a line: name, signal, target; under it its own defaults and what it locks
        </Text>
        <Area
          rows={16}
          value={modes}
          onChange={(e) => draft.set((d) => ({ ...d, modes: e.target.value }))}
          aria-label="Modes"
        />
      </Box>
      <Box>
        <Text fontWeight="600">Controls</Text>
        <Text color="ink3" fontSize="11.5px" mb="4px">
          as they stand in the menu
        </Text>
        <Area
          rows={16}
          value={controls}
          onChange={(e) => draft.set((d) => ({ ...d, controls: e.target.value }))}
          aria-label="Controls"
        />
      </Box>
      <HowToWrite />
      <Box gridColumn="1 / -1">
        <DraftNote draft={draft} />
        {save.question && <Box mb="10px">{save.question}</Box>}
        <Flex gap="8px">
          <LampButton disabled={!changed} loading={save.pending} onClick={() => save.run({ modes, controls }, saved)}>
            Save the menu
          </LampButton>
          <QuietButton onClick={saved}>Cancel</QuietButton>
        </Flex>
      </Box>
    </Grid>
  );
}

/** The bar that says what is being drawn, and keeps it. */
function Drawing({
  drawn,
  control,
  onValue,
  onKeep,
  onLeave,
}: {
  drawn: Drawn;
  control: MenuControl;
  onValue: (v: string) => void;
  onKeep: () => void;
  onLeave: () => void;
}) {
  return (
    <Flex gap="10px" px="16px" py="7px" align="center" wrap="wrap" bg="lampSoft" role="status" data-testid="drawing">
      <Text fontWeight="500">{short(drawn.from)}</Text>
      {drawn.kind === "locks" &&
        (control.choices.length > 0 ? (
          <>
            at
            <Select aria-label="At which value" value={drawn.value} onChange={(e) => onValue(e.target.value)}>
              {control.choices.map((c) => (
                <option key={c}>{c}</option>
              ))}
            </Select>
          </>
        ) : (
          <>
            at
            <Field aria-label="At which value" w="80px" value={drawn.value} onChange={(e) => onValue(e.target.value)} />
          </>
        ))}
      <Text>
        {drawn.kind} {[...drawn.to].map(short).join(", ") || "nothing yet"}.
      </Text>
      <Text color="ink2">
        <Key>↑</Key> <Key>↓</Key> move, <Key>x</Key> marks
      </Text>
      <Box flex="1" />
      <QuietButton onClick={onKeep}>
        Save <Key>enter</Key>
      </QuietButton>
      <QuietButton onClick={onLeave}>
        Leave it <Key>esc</Key>
      </QuietButton>
    </Flex>
  );
}

/** The map itself: a tree to move in, to correct and to draw in. */
function Chart({ review, map, leave, edit }: { review: number; map: MenuMap; leave: () => void; edit: () => void }) {
  const [at, setAt] = useState({ row: 0, moved: false });
  const [filter, setFilter] = useState("");
  const [differ, setDiffer] = useState(false);
  const [open, setOpen] = useState<MenuControl | null>(null);
  const [setup, setSetup] = useState<number | null>(null);
  const [drawn, setDrawn] = useState<Drawn | null>(null);
  const search = useRef<HTMLInputElement>(null);
  const go = useNavigate();
  const findings = useFindings(review, map.unit);
  const change = useMenuChange(changesOf(review, map).control);
  const wanted = filter.toLowerCase();
  const lines = entries(map.controls).filter(
    (e) =>
      `${e.path} ${e.values} ${words(e.control)}`.toLowerCase().includes(wanted) &&
      (!differ || map.setups.some((s) => differing(e, s.differs) !== "")),
  );
  const cursor = Math.min(at.row, lines.length - 1);
  const line = lines[cursor];
  const move = (by: number) => setAt({ row: Math.min(Math.max(cursor + by, 0), lines.length - 1), moved: true });
  const from = (path: string) => map.controls.find((c) => c.path === path);
  const draw = (kind: Drawn["kind"]) => {
    if (!line || drawn || line.cells.length > 1) return;
    const c = line.control;
    const value = c.choices[0] ?? String(c.minimum);
    setDrawn({ kind, from: c.path, value, to: new Set(kind === "locks" ? c.locks[value] : c.resets) });
  };
  const mark = (e: Entry) =>
    setDrawn((d) => {
      if (!d || e.path === d.from) return d;
      const to = new Set(d.to);
      const all = e.cells.every((c) => to.has(c.path));
      for (const c of e.cells) all ? to.delete(c.path) : to.add(c.path);
      return { ...d, to };
    });
  const keep = () => {
    const c = drawn && from(drawn.from);
    if (!drawn || !c) return;
    const to = [...drawn.to];
    const fields = drawn.kind === "resets" ? { resets: to } : { locks: { ...c.locks, [drawn.value]: to } };
    change.run({ path: drawn.from, fields }, () => setDrawn(null));
  };
  useKeys(MENU_KEYS, {
    up: () => move(-1),
    down: () => move(1),
    correct: () => (drawn ? keep() : line && setOpen(line.control)),
    lock: () => draw("locks"),
    reset: () => draw("resets"),
    mark: () => line && mark(line),
    differ: () => setDiffer((d) => !d),
    find: () => line && go(`/review/${review}/findout?control=${encodeURIComponent(line.control.path)}`),
    filter: (e) => {
      e.preventDefault();
      search.current?.focus();
    },
    edit,
    back: () => (drawn ? setDrawn(null) : filter ? setFilter("") : leave()),
  });
  const source = drawn && from(drawn.from);
  return (
    <>
      <Flex as="ul" listStyleType="none" gap="6px 18px" wrap="wrap" px="16px" py="10px" aria-label="Modes">
        {map.modes.map((m) => (
          <li key={`${m.name} ${m.signal}`}>
            <Text as="span" fontWeight="500">
              {m.name}
            </Text>{" "}
            <Text as="span" color="ink3" fontSize="11px">
              {m.signal.toUpperCase()} · {m.target_title}
              {m.locks.length ? ` · locks ${m.locks.map(short).join(", ")}` : ""}
            </Text>
          </li>
        ))}
      </Flex>
      {drawn && source && (
        <Drawing
          drawn={drawn}
          control={source}
          onValue={(value) => setDrawn({ ...drawn, value, to: new Set(source.locks[value]) })}
          onKeep={keep}
          onLeave={() => setDrawn(null)}
        />
      )}
      {change.question && <Box p="10px 16px">{change.question}</Box>}
      {map.controls.length ? (
        <>
          <Flex gap="12px" px="16px" pb="6px" align="center" color="ink2" wrap="wrap">
            <Field
              ref={search}
              aria-label="Filter the controls"
              placeholder="filter controls  /"
              fontFamily="body"
              w="200px"
              value={filter}
              onChange={(e) => setFilter(e.target.value)}
              onKeyDown={(e) => e.key === "Escape" && e.currentTarget.blur()}
            />
            <Toggle checked={differ} onChange={setDiffer}>
              only what setups differ in <Key>c</Key>
            </Toggle>
            <Text color="ink3">
              <Key>enter</Key> corrects, <Key>l</Key> draws locks, <Key>r</Key> draws resets, <Key>f</Key> finds out
            </Text>
          </Flex>
          {lines.length ? (
            <Tree
              map={map}
              lines={lines}
              cursor={cursor}
              moved={at.moved}
              drawn={drawn}
              onCursor={(row) => setAt({ row, moved: true })}
              onOpen={(e) => setOpen(e.control)}
              onMark={mark}
              onSetup={setSetup}
              findings={findings.data ?? []}
              review={review}
            />
          ) : (
            <Quiet>{differ ? "All setups have their mode's factory settings." : "No control matches."}</Quiet>
          )}
        </>
      ) : (
        <Quiet>No controls are written down yet. They can be pasted as they stand in the menu.</Quiet>
      )}
      {open && <ControlDialog review={review} map={map} control={open} close={() => setOpen(null)} />}
      {setup !== null && (
        <SettingsDialog review={review} setup={setup} close={() => setSetup(null)} onSaved={() => setSetup(null)} />
      )}
    </>
  );
}

function Elsewhere({ back }: { back: () => void }) {
  useKeys(BACK, { back });
  return null;
}

/** What is known of a display's menu: its modes and controls, what locks and resets what, and how setups differ. */
export default function MenuView() {
  const review = Number(useParams().review);
  const [query, setQuery] = useSearchParams();
  const asked = query.get("unit");
  const go = useNavigate();
  const menu = useMenu(review, asked === null ? null : Number(asked));
  const [tab, setTab] = useState<string | null>(null);
  const undo = useAct(async () => menu.data && changesOf(review, menu.data).undo(), TOUCHED);
  useTitle(menu.data ? `Menu map of ${menu.data.name}` : undefined);
  if (menu.error) return <Failed error={menu.error} />;
  if (!menu.data) return <Quiet>Loading</Quiet>;
  const map = menu.data;
  const shown = tab ?? (map.modes.length ? "map" : "edit");
  const show = (unit: number | null) => setQuery(unit === null ? {} : { unit: String(unit) }, { replace: true });
  const toMap = () => setTab("map");
  const count = entries(map.controls).length;
  return (
    <Box>
      <Tabs.Root value={shown} onValueChange={(e) => setTab(e.value)} variant="line" lazyMount unmountOnExit>
        <Flex
          align="center"
          gap="6px 18px"
          px="16px"
          pt="9px"
          wrap="wrap"
          borderBottom="1px solid"
          borderColor="lineSoft"
        >
          <Text as="h1" fontSize="15px" fontWeight="600">
            Menu map
          </Text>
          {map.samples.length > 1 && (
            <Select aria-label="Sample" value={map.unit} onChange={(e) => show(Number(e.target.value))}>
              {map.samples.map((s) => (
                <option key={s.unit} value={s.unit}>
                  sample {s.sample}
                </option>
              ))}
            </Select>
          )}
          <Text color="ink2">
            {map.modes.length} {map.modes.length === 1 ? "mode" : "modes"} · {count}{" "}
            {count === 1 ? "control" : "controls"}
            {map.shared > 1 ? ` · shared by ${map.shared} samples` : ""}
            {map.can.describes ? " · corrections here don't change the simulated display" : ""}
          </Text>
          <Box flex="1" />
          <Tabs.List border="none">
            <Tabs.Trigger value="map">Map</Tabs.Trigger>
            <Tabs.Trigger value="edit">
              Write or paste <Key>e</Key>
            </Tabs.Trigger>
            <Tabs.Trigger value="take">Take over, files</Tabs.Trigger>
            <Tabs.Trigger value="past">Changes{map.changes ? ` (${map.changes})` : ""}</Tabs.Trigger>
          </Tabs.List>
        </Flex>
        {undo.error && (
          <Box p="16px">
            <ProblemNote error={undo.error} />
          </Box>
        )}
        <Tabs.Content value="map" p="0">
          <Chart
            key={map.unit}
            review={review}
            map={map}
            leave={() => go(`/review/${review}`)}
            edit={() => setTab("edit")}
          />
        </Tabs.Content>
        <Tabs.Content value="edit" p="0">
          <Elsewhere back={() => (map.modes.length ? toMap() : go(`/review/${review}`))} />
          {!map.can.describes && <Identity key={map.unit} map={map} />}
          <Edit key={`${map.modes_text}${map.controls_text}`} map={map} review={review} done={toMap} />
        </Tabs.Content>
        <Tabs.Content value="take" p="0">
          <Elsewhere back={toMap} />
          <TakeOver
            review={review}
            map={map}
            done={(unit) => {
              show(unit);
              toMap();
            }}
          />
        </Tabs.Content>
        <Tabs.Content value="past" p="0">
          <Elsewhere back={toMap} />
          <MenuPast review={review} map={map} undo={() => undo.mutate(undefined, { onSuccess: toMap })} />
        </Tabs.Content>
      </Tabs.Root>
    </Box>
  );
}
