import { Box, Flex, Grid, Table, Tabs, Text } from "@chakra-ui/react";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { call, type MenuControl, type MenuMap } from "../../api/client";
import { useAct, useMenu } from "../../api/queries";
import { useKeys, useTitle } from "../../app/keys";
import { Key, LampButton, Mono, ProblemNote, Quiet, QuietButton, Wide } from "../../parts/basics";
import { Area, HowToWrite } from "./writing";

const SCOPES: Record<string, string> = { unit: "all modes", signal: "this signal", mode: "each mode", unknown: "" };
const PLACES: Record<string, string> = { unit: "", host: "host", input: "input" };
const TOUCHED = ["menu", "board", "shelf", "setup", "verdict", "sheet"];

/** A control's path as the last part, indented under the heads that the line before does not share. */
function heads(paths: string[][], at: number): string[] {
  const here = paths[at]?.slice(0, -1) ?? [];
  const before = paths[at - 1]?.slice(0, -1) ?? [];
  const shared = here.findIndex((h, i) => h !== before[i]);
  return shared < 0 ? [] : here.slice(shared);
}

function rules(c: MenuControl): string[] {
  return [
    ...Object.entries(c.locks).map(([v, paths]) => `${v} locks ${paths.map(short).join(", ")}`),
    ...(c.resets.length
      ? [`resets ${c.resets.length > 4 ? `${c.resets.length} settings` : c.resets.map(short).join(", ")}`]
      : []),
  ];
}
const short = (path: string) => path.split(" > ").at(-1) ?? path;

/** What stands in a line: a control, or a whole table in one. */
interface Entry {
  path: string;
  values: string;
  default: string;
  control: MenuControl;
  cells: MenuControl[];
}

/** A table's cells as one line, so that its points and channels are seen at a glance. */
function entries(controls: MenuControl[]): Entry[] {
  const out: Entry[] = [];
  for (const c of controls) {
    const last = out.at(-1);
    if (c.group && last?.path === c.group) {
      last.cells.push(c);
      continue;
    }
    const values = c.kind === "notches" ? `${c.values} notches, no numbers` : c.values;
    out.push({ path: c.group || c.path, values, default: c.default ?? "not known", control: c, cells: [c] });
  }
  for (const e of out.filter((x) => x.cells.length > 1)) {
    const ends = e.cells.map((c) => c.path.slice(e.path.length + 3).split(" > "));
    const part = (i: number) => [...new Set(ends.map((x) => x[i] ?? ""))];
    e.values = `${part(1).join(", ")} at ${part(0).join(", ")}; each ${e.values}`;
    e.default = [...new Set(e.cells.map((c) => c.default ?? "not known"))].join(", ");
  }
  return out;
}

function differing(e: Entry, differs: Record<string, string>): string {
  const set = e.cells.filter((c) => differs[c.path] !== undefined);
  if (e.cells.length > 1) return set.length ? `${set.length} of ${e.cells.length} set` : "";
  return differs[e.control.path] ?? "";
}

function Tree({ map }: { map: MenuMap }) {
  const lines = entries(map.controls);
  const paths = lines.map((e) => e.path.split(" > "));
  const setups = map.setups.filter((s) => Object.keys(s.differs).length > 0);
  const named = ["Control", "Values", "Default", "Set for", "Locks and resets", ...setups.map((s) => s.name)];
  return (
    <Wide label="Controls">
      <Table.Root
        size="sm"
        w="auto"
        minW="760px"
        css={{
          "& td, & th": { borderColor: "lineSoft", bg: "transparent", py: "3px", pr: "28px", color: "ink" },
          "& th:first-of-type": { pl: "16px" },
        }}
      >
        <Table.Header>
          <Table.Row bg="transparent">
            {named.map((h) => (
              <Table.ColumnHeader key={h} color="ink3" fontSize="11px" fontWeight="450" scope="col">
                {h}
              </Table.ColumnHeader>
            ))}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {lines.flatMap((e, i) => [
            ...heads(paths, i).map((h) => (
              <Table.Row key={`${e.path} ${h}`} bg="transparent">
                <Table.Cell
                  colSpan={named.length}
                  fontWeight="600"
                  style={{ paddingLeft: 16 + 16 * (paths[i]?.indexOf(h) ?? 0) }}
                >
                  {h}
                </Table.Cell>
              </Table.Row>
            )),
            <Table.Row key={e.path} bg="transparent" data-testid="menu-control">
              <Table.Cell style={{ paddingLeft: 16 + 16 * ((paths[i]?.length ?? 1) - 1) }}>
                {short(e.path)}
                <Text as="span" color="ink3" fontSize="11px">
                  {e.control.role === "luminance" ? "  sets the luminance" : ""}
                  {PLACES[e.control.place] ? `  ${PLACES[e.control.place]}` : ""}
                  {e.control.bears ? "" : "  no effect on accuracy"}
                </Text>
              </Table.Cell>
              <Table.Cell maxW="360px">{e.values}</Table.Cell>
              <Table.Cell>
                <Mono>{e.default}</Mono>
              </Table.Cell>
              <Table.Cell>{SCOPES[e.control.scope]}</Table.Cell>
              <Table.Cell maxW="320px">{rules(e.control).join("; ")}</Table.Cell>
              {setups.map((s) => (
                <Table.Cell key={s.setup}>
                  <Mono>{differing(e, s.differs)}</Mono>
                </Table.Cell>
              ))}
            </Table.Row>,
          ])}
        </Table.Body>
      </Table.Root>
    </Wide>
  );
}

function Edit({ map, review, done }: { map: MenuMap; review: number; done: () => void }) {
  const [modes, setModes] = useState(map.modes_text);
  const [controls, setControls] = useState(map.controls_text);
  const save = useAct(
    () => call<MenuMap>("PUT", `/reviews/${review}/menu?unit=${map.unit}`, { modes, controls }),
    TOUCHED,
  );
  const changed = modes !== map.modes_text || controls !== map.controls_text;
  return (
    <Grid templateColumns={{ base: "1fr", md: "minmax(0, 1fr) minmax(0, 2fr) minmax(0, 1fr)" }} gap="18px" p="16px">
      <Box>
        <Text fontWeight="600">Modes</Text>
        <Text color="ink3" fontSize="11.5px" mb="4px">
          one a line: name, signal, target
        </Text>
        <Area rows={16} value={modes} onChange={(e) => setModes(e.target.value)} aria-label="Modes" />
      </Box>
      <Box>
        <Text fontWeight="600">Controls</Text>
        <Text color="ink3" fontSize="11.5px" mb="4px">
          as they stand in the menu
        </Text>
        <Area rows={16} value={controls} onChange={(e) => setControls(e.target.value)} aria-label="Controls" />
      </Box>
      <HowToWrite />
      <Box gridColumn="1 / -1">
        {save.error && (
          <Box mb="10px">
            <ProblemNote error={save.error} />
          </Box>
        )}
        <Flex gap="8px">
          <LampButton
            disabled={!changed}
            loading={save.isPending}
            onClick={() => save.mutate(undefined, { onSuccess: done })}
          >
            Save the menu
          </LampButton>
          <QuietButton onClick={done}>Leave it as it is</QuietButton>
        </Flex>
      </Box>
    </Grid>
  );
}

/** What is known of a display's menu: its modes and controls, what locks and resets what, and how setups differ. */
export default function MenuView() {
  const review = Number(useParams().review);
  const go = useNavigate();
  const menu = useMenu(review);
  const [tab, setTab] = useState<string | null>(null);
  const undo = useAct(() => call("POST", `/reviews/${review}/menu/undo?unit=${menu.data?.unit}`), TOUCHED);
  useKeys("menu", {
    edit: () => setTab("edit"),
    back: () => (tab === "edit" ? setTab("map") : go(`/review/${review}`)),
  });
  useTitle(menu.data ? `Menu map of ${menu.data.name}` : undefined);
  if (menu.error) {
    return (
      <Quiet>
        <ProblemNote error={menu.error} />
      </Quiet>
    );
  }
  if (!menu.data) return <Quiet>Loading</Quiet>;
  const map = menu.data;
  const shown = tab ?? (map.modes.length ? "map" : "edit");
  return (
    <Box>
      <Tabs.Root value={shown} onValueChange={(e) => setTab(e.value)} size="sm" variant="line">
        <Flex align="center" gap="18px" px="16px" pt="9px" wrap="wrap" borderBottom="1px solid" borderColor="lineSoft">
          <Text as="h1" fontSize="15px" fontWeight="600">
            Menu map
          </Text>
          <Text color="ink2">
            {map.modes.length} {map.modes.length === 1 ? "mode" : "modes"} · {map.controls.length}{" "}
            {map.controls.length === 1 ? "control" : "controls"}
            {map.stand_in ? " · the stand-in's light is not touched by what is corrected here" : ""}
          </Text>
          <Box flex="1" />
          {map.changes > 0 && (
            <QuietButton onClick={() => undo.mutate(undefined)} loading={undo.isPending}>
              Take back the last change
            </QuietButton>
          )}
          <Tabs.List border="none">
            <Tabs.Trigger value="map" color="ink2" _selected={{ color: "ink" }}>
              Map
            </Tabs.Trigger>
            <Tabs.Trigger value="edit" color="ink2" _selected={{ color: "ink" }}>
              Write or paste <Key>e</Key>
            </Tabs.Trigger>
          </Tabs.List>
        </Flex>
        {undo.error && (
          <Box p="16px">
            <ProblemNote error={undo.error} />
          </Box>
        )}
        <Tabs.Content value="map" p="0">
          <Flex as="ul" listStyleType="none" gap="6px 18px" wrap="wrap" px="16px" py="10px" aria-label="Modes">
            {map.modes.map((m) => (
              <li key={`${m.name} ${m.signal}`}>
                <Text as="span" fontWeight="500">
                  {m.name}
                </Text>{" "}
                <Text as="span" color="ink3" fontSize="11px">
                  {m.signal} · {m.target}
                  {m.locks.length ? ` · locks ${m.locks.map(short).join(", ")}` : ""}
                </Text>
              </li>
            ))}
          </Flex>
          {map.controls.length ? (
            <Tree map={map} />
          ) : (
            <Quiet>No controls are written down yet. They can be pasted as they stand in the menu.</Quiet>
          )}
        </Tabs.Content>
        <Tabs.Content value="edit" p="0">
          <Edit key={`${map.modes_text}${map.controls_text}`} map={map} review={review} done={() => setTab("map")} />
        </Tabs.Content>
      </Tabs.Root>
    </Box>
  );
}
