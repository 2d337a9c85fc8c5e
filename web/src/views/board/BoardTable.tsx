import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import { type MouseEvent, memo, useEffect, useRef, useState } from "react";
import type { Board, BoardCell, BoardRow } from "../../api/client";
import { Mono } from "../../parts/basics";
import { NotchedRule } from "../../parts/NotchedRule";
import { Cell } from "./BoardCell";
import type { Block, Sort } from "./blocks";
import { keyOf } from "./selection";

const Th = chakra("th");
const Td = chakra("td");
const Plain = chakra("button");

interface Props {
  board: Board;
  rows: BoardRow[];
  /** By signal the columns of its rows. */
  sections: ReadonlyMap<string, Block[]>;
  selected: ReadonlySet<string>;
  cursor: [number, number];
  /** Whether a cell was left for its plates before, so that the focus goes back to it. */
  returned: boolean;
  sort: Sort | null;
  onCursor: (row: number, column: number) => void;
  onToggle: (keys: string[]) => void;
  onOpen: (row: number, column: number) => void;
  onSort: (measurement: string, figure: string) => void;
  onSettings: (row: BoardRow) => void;
}

function Score({ row }: { row: BoardRow }) {
  return (
    <Td textAlign="right" pr="9px" verticalAlign="top" pt="5px" title={row.score_note || undefined}>
      <Mono
        display="block"
        fontSize="15px"
        fontWeight="500"
        lineHeight="19px"
        color={row.score == null ? "ink3" : "ink"}
      >
        {row.score == null ? "–" : Math.round(row.score)}
      </Mono>
      <Box h="12px" lineHeight="8px">
        <NotchedRule points={row.score ?? null} low={row.low} high={row.high} width={56} />
      </Box>
    </Td>
  );
}

function RowHead({ row, onToggle, onSettings }: { row: BoardRow; onToggle: () => void; onSettings: () => void }) {
  return (
    <Th
      scope="row"
      textAlign="left"
      fontWeight="400"
      pl={row.nested ? "22px" : "10px"}
      pt="2px"
      verticalAlign="top"
      overflow="hidden"
      {...sticky}
    >
      <Plain
        type="button"
        textAlign="left"
        cursor="pointer"
        title={`Select all of ${row.name}`}
        onClick={onToggle}
        fontWeight="600"
        whiteSpace="nowrap"
        minH="24px"
      >
        {row.name}
      </Plain>
      <Text
        color="ink3"
        fontSize="11px"
        whiteSpace="nowrap"
        overflow="hidden"
        textOverflow="ellipsis"
        title={[row.room, row.format, row.target_title].filter(Boolean).join(" · ")}
      >
        <Plain
          type="button"
          cursor="pointer"
          onClick={onSettings}
          minH="24px"
          title={`Settings of ${row.name} (e)`}
          textDecoration="underline dotted"
          textUnderlineOffset="3px"
          color={row.state === "as shipped" ? "ink3" : "ink2"}
        >
          {row.state}
        </Plain>{" "}
        · {[row.room, row.format, row.target_title].filter(Boolean).join(" · ")}
      </Text>
    </Th>
  );
}

/** What a cell says to who does not see it: its state, and every figure with unit and points. */
export function cellLabel(row: BoardRow, block: Block, cell: BoardCell): string {
  const figures = block.columns.flatMap((c) => {
    const f = cell.figures.find((x) => x.figure === c.figure);
    if (!f) return [];
    const points = f.points == null ? "" : `, ${Math.round(f.points)} points`;
    return [`${c.head} ${f.text.replace("≥", "at least").replace("<", "under")} ${c.unit}${points}`];
  });
  const progress = cell.state === "measuring" ? ` ${cell.done} of ${cell.total}` : "";
  const said = [`${block.title} of ${row.name}: ${cell.state}${progress}`, ...figures, cell.note];
  return said.filter(Boolean).join("; ");
}

const NO_CURSOR = -1;
const sticky = { position: "sticky", left: "0", bg: "ground", zIndex: 1 } as const;

interface RowProps {
  row: BoardRow;
  before: BoardRow | undefined;
  samples: boolean;
  blocks: Block[];
  /** So many columns the whole Board has. */
  most: number;
  /** Measurements of this row that are selected, as one text: a row is drawn anew only when it changes. */
  chosen: string;
  /** Which cell of this row has the cursor, -1 for none. */
  at: number;
  focus: boolean;
  index: number;
  onClick: (event: MouseEvent, row: number, column: number, cell: BoardCell, key: string) => void;
  onCursor: (row: number, column: number) => void;
  onToggle: (keys: string[]) => void;
  onSettings: (row: BoardRow) => void;
}

const Row = memo(function Row(props: RowProps) {
  const { row, before, samples, blocks, most, chosen, at, focus, index, onClick, onCursor, onToggle, onSettings } =
    props;
  const here = useRef<HTMLTableCellElement>(null);
  useEffect(() => {
    if (focus && at !== NO_CURSOR) here.current?.focus();
  }, [at, focus]);
  const selected = new Set(chosen.split(" "));
  return (
    <chakra.tr
      borderTop="1px solid"
      borderColor={before && before.sample !== row.sample ? "line" : "lineSoft"}
      h="52px"
    >
      <Td
        pl="16px"
        pt="7px"
        verticalAlign="top"
        fontFamily="mono"
        fontSize="11px"
        fontWeight="500"
        color="ink3"
        lineHeight="15px"
      >
        {before?.signal !== row.signal || before?.sample !== row.sample ? (
          <>
            {row.signal.toUpperCase()}
            {samples && (
              <Text as="span" display="block" title={`sample ${row.sample}, firmware ${row.firmware}`}>
                {row.sample}
              </Text>
            )}
          </>
        ) : null}
      </Td>
      <RowHead
        row={row}
        onToggle={() => onToggle(row.cells.map((c) => keyOf(row.setup, c.measurement)))}
        onSettings={() => onSettings(row)}
      />
      <Score row={row} />
      {blocks.map((block, c) => {
        const cell = row.cells.find((x) => x.measurement === block.measurement);
        if (!cell) return <Td key={block.measurement} colSpan={block.columns.length} />;
        const key = keyOf(row.setup, cell.measurement);
        const on = selected.has(cell.measurement);
        const edge = c === 0 || blocks[c - 1]?.group !== block.group;
        return (
          <Td
            key={key}
            ref={at === c ? here : undefined}
            role="gridcell"
            colSpan={block.columns.length}
            tabIndex={at === c ? 0 : -1}
            aria-selected={on}
            aria-label={cellLabel(row, block, cell)}
            data-cell={`${row.name} ${cell.measurement}`}
            data-state={cell.state}
            title={cell.figures.length === 0 ? `${block.title}: ${cell.note || "not measured"}` : undefined}
            onClick={(event) => onClick(event, index, c, cell, key)}
            onFocus={() => at !== c && onCursor(index, c)}
            cursor="pointer"
            pt="6px"
            pb="4px"
            verticalAlign="top"
            borderLeft={edge ? "1px solid" : undefined}
            borderColor="line"
            bg={on ? "lampSoft" : undefined}
            boxShadow={on ? "inset 0 0 0 2px {colors.lamp}" : undefined}
            _hover={{ bg: on ? "lampSoft" : "sheet" }}
          >
            <Cell block={block} cell={cell} />
          </Td>
        );
      })}
      <Rest blocks={blocks} most={most} />
    </chakra.tr>
  );
});

/** The room of columns that a section has no use for. */
function Rest({ blocks, most }: { blocks: Block[]; most: number }) {
  const left = most - blocks.reduce((n, b) => n + b.columns.length, 0);
  return left > 0 ? <Td colSpan={left} borderLeft="1px solid" borderColor="line" /> : null;
}

/** One row per setup, one cell per measurement, one column per figure. */
export function BoardTable(props: Props) {
  const { board, rows, sections, selected, cursor, returned, onCursor, onToggle, onOpen, onSettings } = props;
  const [focus, setFocus] = useState(returned);
  const acts = useRef({ onCursor, onToggle, onOpen, onSettings });
  acts.current = { onCursor, onToggle, onOpen, onSettings };
  const moved = useRef(false);
  // biome-ignore lint/correctness/useExhaustiveDependencies: after the first drawing the focus follows the cursor
  useEffect(() => {
    if (moved.current) setFocus(true);
    moved.current = true;
  }, [cursor]);
  // The same functions for ever, so that a row is drawn anew only when something of it changes.
  const stable = useRef({
    click: (event: MouseEvent, row: number, column: number, cell: BoardCell, key: string) => {
      acts.current.onCursor(row, column);
      if (cell.figures.length && !event.shiftKey && !event.ctrlKey && !event.metaKey) acts.current.onOpen(row, column);
      else acts.current.onToggle([key]);
    },
    cursor: (row: number, column: number) => acts.current.onCursor(row, column),
    toggle: (keys: string[]) => acts.current.onToggle(keys),
    settings: (row: BoardRow) => acts.current.onSettings(row),
  }).current;
  const samples = new Set(rows.map((r) => r.sample)).size > 1;
  const widths = [...sections.values()].map((blocks) => blocks.reduce((n, b) => n + b.columns.length, 0));
  const most = Math.max(1, ...widths);
  const blocksOf = (row: BoardRow) => sections.get(row.signal) ?? [];
  return (
    <Box>
      <chakra.table
        role="grid"
        aria-label="Board"
        w="100%"
        minW="1180px"
        css={{ borderCollapse: "collapse", tableLayout: "fixed" }}
      >
        <colgroup>
          <col style={{ width: 42 }} />
          <col style={{ width: 154 }} />
          <col style={{ width: 70 }} />
          {Array.from({ length: most }, (_, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a column is its place
            <col key={i} />
          ))}
        </colgroup>
        <chakra.thead position="sticky" top="0" zIndex={2} bg="ground">
          <Heads {...props} blocks={rows[0] ? blocksOf(rows[0]) : ([...sections.values()][0] ?? [])} most={most} />
        </chakra.thead>
        <tbody>
          {rows.flatMap((row, r) => [
            rows[r - 1] && rows[r - 1]?.signal !== row.signal ? (
              <Heads key={`head of ${row.setup}`} {...props} blocks={blocksOf(row)} most={most} again />
            ) : null,
            <Row
              key={row.setup}
              row={row}
              before={rows[r - 1]}
              samples={samples}
              blocks={blocksOf(row)}
              most={most}
              chosen={row.cells
                .filter((c) => selected.has(keyOf(row.setup, c.measurement)))
                .map((c) => c.measurement)
                .join(" ")}
              at={cursor[0] === r ? cursor[1] : NO_CURSOR}
              focus={focus}
              index={r}
              onClick={stable.click}
              onCursor={stable.cursor}
              onToggle={stable.toggle}
              onSettings={stable.settings}
            />,
          ])}
        </tbody>
      </chakra.table>
      {rows.length === 0 && (
        <Text color="ink3" px="16px" py="20px">
          No row of {board.review.name} matches. Esc clears the filter.
        </Text>
      )}
    </Box>
  );
}

interface HeadProps extends Props {
  blocks: Block[];
  most: number;
  /** Not the first one: the columns of another signal begin here. */
  again?: boolean;
}

function Heads({ board, rows, blocks, most, again, sort, onToggle, onSort }: HeadProps) {
  const groups = [...new Set(blocks.map((b) => b.group))];
  const mine = rows.filter((r) => r.cells.some((c) => blocks.some((b) => b.measurement === c.measurement)));
  return (
    <>
      <chakra.tr borderTop={again ? "1px solid" : undefined} borderColor="line">
        <Td colSpan={3} />
        {groups.map((group) => {
          const own = blocks.filter((b) => b.group === group);
          return (
            <Th
              key={group}
              colSpan={own.reduce((n, b) => n + b.columns.length, 0)}
              scope="colgroup"
              textAlign="left"
              fontWeight="400"
              borderLeft="1px solid"
              borderColor="line"
            >
              <Plain
                type="button"
                cursor="pointer"
                px="7px"
                pt="9px"
                pb="1px"
                minH="24px"
                color="ink3"
                fontSize="11px"
                title={`Select ${group.toLowerCase()} of every mode`}
                onClick={() => onToggle(mine.flatMap((r) => own.map((b) => keyOf(r.setup, b.measurement))))}
              >
                {group}
              </Plain>
            </Th>
          );
        })}
        <Rest blocks={blocks} most={most} />
      </chakra.tr>
      <tr>
        <td />
        <Th
          {...sticky}
          textAlign="left"
          pl="10px"
          pb="5px"
          color="ink2"
          fontSize="12px"
          fontWeight="500"
          verticalAlign="bottom"
          scope="col"
        >
          {again ? "" : "Mode and setup"}
        </Th>
        <Th
          textAlign="right"
          pr="9px"
          pb="5px"
          color="ink2"
          fontSize="12px"
          fontWeight="500"
          verticalAlign="bottom"
          scope="col"
        >
          {again ? "" : board.purpose_title}
        </Th>
        {blocks.map((block, b) =>
          block.columns.map((column, i) => {
            const on = sort?.measurement === column.measurement && sort.figure === column.figure;
            const edge = i === 0 && (b === 0 || blocks[b - 1]?.group !== block.group);
            return (
              <Th
                key={`${column.measurement}.${column.figure}`}
                scope="col"
                aria-sort={on ? (sort.down ? "descending" : "ascending") : undefined}
                textAlign="right"
                fontWeight="400"
                verticalAlign="bottom"
                borderLeft={edge ? "1px solid" : undefined}
                borderColor="line"
                p="0"
              >
                <Plain
                  type="button"
                  cursor="pointer"
                  w="100%"
                  textAlign="right"
                  pr="7px"
                  pb="5px"
                  title={`${block.title}: sort by it; with Shift select it of every mode`}
                  onClick={(event) =>
                    event.shiftKey
                      ? onToggle(mine.map((r) => keyOf(r.setup, block.measurement)))
                      : onSort(column.measurement, column.figure)
                  }
                >
                  <Flex
                    justify="flex-end"
                    color={on ? "ink" : "ink2"}
                    fontSize="11px"
                    fontWeight="500"
                    letterSpacing="-0.035em"
                    whiteSpace="nowrap"
                  >
                    {on ? (sort.down ? "↓" : "↑") : ""}
                    {column.head}
                  </Flex>
                  <Text color="ink3" fontSize="10.5px" whiteSpace="nowrap">
                    {column.unit || "\u00a0"}
                  </Text>
                </Plain>
              </Th>
            );
          }),
        )}
        <Rest blocks={blocks} most={most} />
      </tr>
    </>
  );
}
