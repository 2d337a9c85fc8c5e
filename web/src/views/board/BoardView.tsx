import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import { type ReactNode, useMemo, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { useAct } from "../../api/act";
import { api, type BoardCell, type BoardColumn, type CellChoice, got } from "../../api/client";
import { useKeys, useTitle } from "../../app/keys";
import { Failed, Key, LampButton, ProblemNote, Quiet, QuietButton, Unseen } from "../../kit/basics";
import { Field } from "../../kit/field";
import { nextPurpose } from "../../kit/purpose";
import { duration } from "../bench/BenchBar";
import { useFree, useSpeed } from "../bench/queries";
import { BoardTable } from "./BoardTable";
import { filtered, type Sort, sectionsOf, sorted } from "./blocks";
import { FreePanel } from "./FreePanel";
import { Headline, Undo } from "./Head";
import { BOARD_KEYS } from "./keys";
import { type RunOptions, useBoard, useFormats, usePlan } from "./queries";
import { type Meter, RunOptions as RunOptionsBar } from "./RunOptions";
import { type Saved, SettingsDialog } from "./SettingsDialog";
import { keyOf, useSelection } from "./selection";

const A = chakra("a");
const To = chakra(Link);
/** The cell that was left for its plates, by review: who comes back goes on there. */
const lastCell = new Map<number, [number, number]>();
/** What the next step is called where it is a view. */
const NEXT: Record<string, ReactNode> = {
  verdict: (
    <>
      Verdict <Key on>v</Key>
    </>
  ),
  menu: (
    <>
      Menu map <Key on>t</Key>
    </>
  ),
  hand: "Go on by hand",
};
const METER = "lumenar-meter";
/** The meter that was last used by hand in this browser. */
function lastMeter(): Meter {
  const usual: Meter = { named: null, name: "", serial: "", repeatability_percent: 0.2, floor_cd_m2: null };
  try {
    return { ...usual, ...JSON.parse(localStorage.getItem(METER) ?? "{}") };
  } catch {
    return usual;
  }
}
const newKey = () => `${Date.now()}-${Math.random().toString(36).slice(2)}`;
/** A meter as the API takes it: by its number where it has one. */
const madeWith = ({ named, ...meter }: Meter) => (named === null ? { meter } : { named_meter: named });
const missing = (c: BoardCell) => c.state === "unmeasured" || c.state === "partial" || c.state === "stale";

function Groups({
  groups,
  group,
  onGroup,
}: {
  groups: BoardColumn["group"][];
  group: BoardColumn["group"] | null;
  onGroup: (g: BoardColumn["group"] | null) => void;
}) {
  return (
    <Flex
      role="group"
      aria-label="Columns"
      border="1px solid"
      borderColor="control"
      borderRadius="5px"
      overflow="hidden"
      flex="none"
    >
      {[null, ...groups].map((g) => (
        <chakra.button
          key={g ?? "all"}
          type="button"
          aria-pressed={g === group}
          onClick={() => onGroup(g)}
          px="10px"
          h="28px"
          cursor="pointer"
          bg={g === group ? "raised" : undefined}
          color={g === group ? "ink" : "ink2"}
        >
          {g ?? "All"}
        </chakra.button>
      ))}
    </Flex>
  );
}

/** The Board of one review: what is measured, what is missing, and what to do next. */
export default function BoardView() {
  const review = Number(useParams().review);
  const go = useNavigate();
  const board = useBoard(review);
  const speed = useSpeed();
  const free = useFree();
  const formats = useFormats();
  const { selected, toggle, select, clear } = useSelection();
  const [cursor, setCursor] = useState<[number, number]>(() => lastCell.get(review) ?? [0, 0]);
  const [returned] = useState(() => lastCell.has(review));
  const [group, setGroup] = useState<BoardColumn["group"] | null>(null);
  const [filter, setFilter] = useState("");
  const [sort, setSort] = useState<Sort | null>(null);
  const [settings, setSettings] = useState<number | null>(null);
  const [saved, setSaved] = useState<Saved | null>(null);
  const [options, setOptions] = useState<RunOptions>({});
  const [asking, setAsking] = useState(false);
  const search = useRef<HTMLInputElement>(null);
  const [meter, setMeter] = useState<Meter>(lastMeter);
  // The same until a run was started, so that asking again after an answer was lost starts none twice.
  const key = useRef(newKey());
  const start = useAct(
    (cells: CellChoice[]) =>
      got(
        api.POST("/api/v1/runs", {
          headers: { "Idempotency-Key": key.current },
          body: {
            review,
            cells,
            options,
            ...(board.data?.can.reads ? {} : madeWith(meter)),
          },
        }),
      ),
    ["board", "bench", "shelf"],
  );
  const run = useAct((setup: number) => got(api.POST("/api/v1/free", { body: { review, setup } })), ["free", "bench"]);
  const rest = useAct(() => got(api.DELETE("/api/v1/free")), ["free", "bench", "board"]);

  const every = board.data?.rows;
  const chosen = useMemo(
    () =>
      (every ?? []).flatMap(({ setup, cells }) =>
        cells
          .filter((c) => selected.has(keyOf(setup, c.measurement)))
          .map(({ measurement }) => ({ setup, measurement })),
      ),
    [every, selected],
  );
  const next = board.data?.next;
  const suggested = useMemo(() => (next?.cells ?? []).map(([setup, measurement]) => ({ setup, measurement })), [next]);
  const cells = chosen.length ? chosen : suggested;
  const plan = usePlan(review, cells, options, speed.data, board.data?.can.reads ? null : meter.named);
  const all = board.data?.rows ?? [];
  const columns = board.data?.columns ?? [];
  const first = new Set(columns.filter((c) => c.first_pass).map((c) => c.measurement));
  const rows = useMemo(() => sorted(filtered(all, filter), sort), [all, filter, sort]);
  // The same blocks from one answer to the next, so that only cells that changed are drawn anew.
  const shape = all.map((r) => [r.signal, ...r.cells.map((c) => c.measurement)].join(" ")).join("\n");
  // biome-ignore lint/correctness/useExhaustiveDependencies: of the rows only their shape matters
  const sections = useMemo(() => sectionsOf(all, columns, group), [shape, columns, group]);
  const blocksAt = (r: number) => sections.get(rows[r]?.signal ?? "") ?? [];
  const groups = [...new Set(columns.map((c) => c.group))];
  const running = free.data?.running === true && free.data.review === review;

  const measure = () => {
    if (!cells.length || start.isPending) return;
    start.mutate(cells, {
      onSuccess: ({ id }) => {
        key.current = newKey();
        clear();
        if (board.data && !board.data.can.reads) localStorage.setItem(METER, JSON.stringify(meter));
        // What no bench reads, a person does: the list is the next thing to do.
        if (board.data && !board.data.can.reads) go(`/review/${review}/hand/${id}`);
      },
    });
  };
  const cellAt = (row: number, column: number) => {
    const block = blocksAt(row)[column];
    return rows[row]?.cells.find((c) => c.measurement === block?.measurement);
  };
  const open = (row: number, column: number) => {
    const cell = cellAt(row, column);
    lastCell.set(review, [row, column]);
    if (cell?.figures.length) go(`/review/${review}/plates/${rows[row]?.setup}/${cell.measurement}`);
  };
  const walk = (down: number, right: number) =>
    setCursor(([r, c]) => {
      const to = Math.min(Math.max(r + down, 0), Math.max(rows.length - 1, 0));
      return [to, Math.min(Math.max(c + right, 0), Math.max(blocksAt(to).length - 1, 0))];
    });
  const row = rows[cursor[0]];
  const block = blocksAt(cursor[0])[cursor[1]];
  const needs = board.data?.purposes.find((p) => p.key === board.data?.purpose)?.needs ?? [];
  const keysOf = (wanted: (c: BoardCell) => boolean) =>
    rows.flatMap((r) => r.cells.filter(wanted).map((c) => keyOf(r.setup, c.measurement)));
  const sortBy = (measurement: string, figure: string) =>
    setSort((s) => {
      if (s?.measurement !== measurement || s.figure !== figure) return { measurement, figure, down: true };
      return s.down ? { ...s, down: false } : null;
    });

  const leave = () => {
    if (running) rest.mutate();
    else if (document.activeElement === search.current) {
      setFilter("");
      search.current?.blur();
    } else if (selected.size) clear();
    else if (filter) setFilter("");
    else go("/");
  };
  useKeys(
    BOARD_KEYS,
    {
      up: () => walk(-1, 0),
      down: () => walk(1, 0),
      left: () => !running && walk(0, -1),
      right: () => !running && walk(0, 1),
      cell: () => row && block && toggle([keyOf(row.setup, block.measurement)]),
      row: () => row && toggle(row.cells.map((c) => keyOf(row.setup, c.measurement))),
      column: () => block && toggle(rows.map((r) => keyOf(r.setup, block.measurement))),
      all: () => toggle(keysOf(() => true)),
      first: () => select(keysOf((c) => first.has(c.measurement) && missing(c))),
      full: () => select(keysOf(missing)),
      needed: () => select(keysOf((c) => needs.includes(c.measurement) && missing(c))),
      purpose: () => nextPurpose(board.data?.purposes ?? [], 1),
      before: () => nextPurpose(board.data?.purposes ?? [], -1),
      measure,
      group: () => setGroup((g) => (g === null ? (groups[0] ?? null) : (groups[groups.indexOf(g) + 1] ?? null))),
      sort: () => block?.columns[0] && sortBy(block.measurement, block.columns[0].figure),
      filter: () => search.current?.focus(),
      settings: () => row && setSettings(row.setup),
      free: () => row && !running && run.mutate(row.setup),
      look: () => row && go(`/review/${review}/look/${row.setup}`),
      compare: () => row && go(`/compare?setup=${row.setup}`),
      options: () => setAsking((a) => !a),
      tune: () => row && go(`/review/${review}/tuning?setup=${row.setup}`),
      recipe: () => row && go(`/review/${review}/recipe/${row.setup}`),
      menu: () => go(`/review/${review}/menu`),
      verdict: () => go(`/review/${review}/verdict`),
      open: () => open(...cursor),
      back: leave,
    },
    settings === null,
  );
  useTitle(board.data && `${board.data.review.name}, Board`);

  if (board.error) return <Failed error={board.error} />;
  if (!board.data) return <Quiet>Loading</Quiet>;

  return (
    <Flex direction="column" minH="100%">
      <Unseen as="h1">Board of {board.data.review.name}</Unseen>
      <Flex
        className="bar"
        align="center"
        gap="8px 18px"
        px="16px"
        py="9px"
        borderBottom="1px solid"
        borderColor="lineSoft"
        minH="72px"
        wrap="wrap"
      >
        <Headline board={board.data} />
        <Groups groups={groups} group={group} onGroup={setGroup} />
        <Field
          ref={search}
          aria-label="Filter the rows"
          placeholder="filter rows  /"
          value={filter}
          onChange={(e) => setFilter(e.target.value)}
          onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
          w="120px"
          h="28px"
          fontFamily="body"
        />
        {/* What is planned takes the room there is: whatever it says, the grid under it stays where the hand aims. */}
        <Box flex="1 1 0" minW="190px" textAlign="right" color="ink2" data-testid="plan">
          <Text truncate>
            {chosen.length
              ? `Selected: ${chosen.length} ${chosen.length === 1 ? "cell" : "cells"}`
              : board.data.next.text}
          </Text>
          {cells.length > 0 && plan.data && (
            <Text color="ink3" fontSize="11px" lineClamp={2}>
              {plan.isPlaceholderData
                ? "how long it takes is being worked out"
                : `${plan.data.readings} readings, ${duration(plan.data.seconds)}${board.data.can.reads ? "" : " by hand"}`}
              {!plan.isPlaceholderData &&
                plan.data.shared > 0 &&
                ` · ${plan.data.shared} shared, saves ${duration(plan.data.saved_seconds)}`}
            </Text>
          )}
        </Box>
        {cells.length > 0 && (
          <QuietButton
            h="32px"
            px="9px"
            aria-expanded={asking}
            onClick={() => setAsking((a) => !a)}
            title="Grid, steps, rests and warm-up of the run (o)"
          >
            Run options <Key>o</Key>
          </QuietButton>
        )}
        {cells.length > 0 ? (
          <LampButton onClick={measure} loading={start.isPending} data-testid="measure">
            Measure <Key on>m</Key>
          </LampButton>
        ) : (
          board.data.next.view && (
            <LampButton onClick={() => go(`/review/${review}/${board.data.next.view}`)} data-testid="next-view">
              {NEXT[board.data.next.view.split("/")[0] ?? ""]}
            </LampButton>
          )
        )}
      </Flex>
      {asking && cells.length > 0 && (
        <RunOptionsBar
          plan={plan.data}
          options={options}
          declared={board.data.options}
          measurements={new Set(cells.map((c) => c.measurement))}
          onOptions={setOptions}
          meter={board.data.can.reads ? null : meter}
          onMeter={setMeter}
        />
      )}
      {(start.error ?? plan.error ?? run.error) && (
        <Box px="16px" py="10px">
          <ProblemNote error={start.error ?? plan.error ?? run.error} />
        </Box>
      )}
      {saved && <Undo key={saved.setup} saved={saved} review={review} done={() => setSaved(null)} />}
      <FreePanel review={review} />
      <BoardTable
        name={board.data.review.name}
        purpose={board.data.purpose_title}
        rows={rows}
        sections={sections}
        selected={selected}
        cursor={cursor}
        returned={returned}
        sort={sort}
        onCursor={(r, c) => setCursor([r, c])}
        onToggle={toggle}
        onOpen={open}
        onSort={sortBy}
        onSettings={(r) => setSettings(r.setup)}
      />
      <Box flex="1" />
      <Flex color="ink3" px="16px" py="10px" fontSize="12px" gap="6px 18px" wrap="wrap" align="center">
        <Box flex="1" minW="280px">
          Click a measured cell for its charts, an empty one to select it; <chakra.span color="lamp">!</chakra.span>{" "}
          marks doubtful readings, said on hover. <Key>1</Key> selects the first pass, <Key>2</Key> the full pass,{" "}
          <Key>3</Key> what the purpose needs, <Key>e</Key> settings, <Key>f</Key> meter running free, <Key>l</Key>{" "}
          look, <Key>b</Key> best settings, <Key>i</Key> recipe, <Key>?</Key> every key.
        </Box>
        <Box>
          Save the readings as{" "}
          {formats.data?.map((f) => (
            <A
              key={f.key}
              href={`/api/v1/reviews/${review}/readings?format=${f.key}`}
              download
              textDecoration="underline dotted"
              display="inline-flex"
              alignItems="center"
              minH="24px"
              mr="8px"
            >
              {f.title}
            </A>
          ))}
        </Box>
        <To
          to={`/import?review=${review}`}
          textDecoration="underline dotted"
          display="inline-flex"
          alignItems="center"
          minH="24px"
        >
          Import readings…
        </To>
      </Flex>
      {settings !== null && (
        <SettingsDialog review={review} setup={settings} close={() => setSettings(null)} onSaved={setSaved} />
      )}
    </Flex>
  );
}
