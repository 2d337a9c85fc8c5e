import { Box, Text } from "@chakra-ui/react";
import { type MouseEvent, memo, useEffect, useRef, useState } from "react";
import type { BoardCell, BoardRow } from "../../api/client";
import { NotchedRule } from "../../kit/NotchedRule";
import { Cell, type CellProps } from "./BoardCell";
import "./board.css";
import type { Block, Sort } from "./blocks";
import { keyOf } from "./selection";

interface Props {
  /** The name of the review, and what its rows are scored for. */
  name: string;
  purpose: string;
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
    <td className="score" title={row.score_note || undefined}>
      <b className={row.score == null ? "none" : undefined}>{row.score == null ? "–" : Math.round(row.score)}</b>
      <div className="rule">
        <NotchedRule points={row.score ?? null} low={row.low} high={row.high} width={56} />
      </div>
    </td>
  );
}

function RowHead({ row, onToggle, onSettings }: { row: BoardRow; onToggle: () => void; onSettings: () => void }) {
  const details = [row.room, row.format, row.target_title].filter(Boolean).join(" · ");
  return (
    <th scope="row" className={row.nested ? "name nested" : "name"}>
      <button type="button" title={`Select all of ${row.name}`} onClick={onToggle}>
        {row.name}
      </button>
      <p title={details}>
        <button
          type="button"
          className={row.state === "as shipped" ? "state shipped" : "state"}
          onClick={onSettings}
          title={`Settings of ${row.name} (e)`}
        >
          {row.state}
        </button>{" "}
        · {details}
      </p>
    </th>
  );
}

const NO_CURSOR = -1;
/** Columns of figures. */
const width = (blocks: Block[]) => blocks.reduce((n, b) => n + b.columns.length, 0);

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
  onClick: CellProps["onClick"];
  onCursor: CellProps["onCursor"];
  onToggle: (keys: string[]) => void;
  onSettings: (row: BoardRow) => void;
}

const Row = memo(function Row(props: RowProps) {
  const { row, before, samples, blocks, most, chosen, at, focus, index, onClick, onCursor, onToggle, onSettings } =
    props;
  const selected = new Set(chosen.split(" "));
  const other = before !== undefined && before.sample !== row.sample;
  return (
    <tr className={other ? "row next-sample" : "row"}>
      <td className="sample">
        {before?.signal !== row.signal || other ? (
          <>
            {row.signal.toUpperCase()}
            {samples && <span title={`sample ${row.sample}, firmware ${row.firmware}`}>{row.sample}</span>}
          </>
        ) : null}
      </td>
      <RowHead
        row={row}
        onToggle={() => onToggle(row.cells.map((c) => keyOf(row.setup, c.measurement)))}
        onSettings={() => onSettings(row)}
      />
      <Score row={row} />
      {blocks.map((block, c) => {
        const cell = row.cells.find((x) => x.measurement === block.measurement);
        if (!cell) return <td key={block.measurement} colSpan={block.columns.length} />;
        return (
          <Cell
            key={block.measurement}
            setup={row.setup}
            name={row.name}
            block={block}
            cell={cell}
            row={index}
            column={c}
            edge={c === 0 || blocks[c - 1]?.group !== block.group}
            selected={selected.has(cell.measurement)}
            here={at === c}
            focus={focus}
            onClick={onClick}
            onCursor={onCursor}
          />
        );
      })}
      <Rest blocks={blocks} most={most} />
    </tr>
  );
});

/** The room of columns that a section has no use for. */
function Rest({ blocks, most }: { blocks: Block[]; most: number }) {
  const left = most - width(blocks);
  return left > 0 ? <td className="edge" colSpan={left} /> : null;
}

/** One row per setup, one cell per measurement, one column per figure. */
export function BoardTable(props: Props) {
  const { name, purpose, rows, sections, selected, cursor, returned, sort } = props;
  const [focus, setFocus] = useState(returned);
  const acts = useRef(props);
  acts.current = props;
  const moved = useRef(false);
  // biome-ignore lint/correctness/useExhaustiveDependencies: after the first drawing the focus follows the cursor
  useEffect(() => {
    if (moved.current) setFocus(true);
    moved.current = true;
  }, [cursor]);
  // The same functions for ever, so that a row is drawn anew only when something of it changes.
  const stable = useRef({
    click: (event: MouseEvent, row: number, column: number, setup: number, cell: BoardCell) => {
      acts.current.onCursor(row, column);
      if (cell.figures.length && !event.shiftKey && !event.ctrlKey && !event.metaKey) acts.current.onOpen(row, column);
      else acts.current.onToggle([keyOf(setup, cell.measurement)]);
    },
    cursor: (row: number, column: number) => acts.current.onCursor(row, column),
    toggle: (keys: string[]) => acts.current.onToggle(keys),
    settings: (row: BoardRow) => acts.current.onSettings(row),
    sort: (measurement: string, figure: string) => acts.current.onSort(measurement, figure),
    /** Cells of some measurements, in every row that has them. */
    column: (measurements: string[]) =>
      acts.current.onToggle(
        acts.current.rows.flatMap((r) =>
          r.cells.filter((c) => measurements.includes(c.measurement)).map((c) => keyOf(r.setup, c.measurement)),
        ),
      ),
  }).current;
  const samples = new Set(rows.map((r) => r.sample)).size > 1;
  const most = Math.max(1, ...[...sections.values()].map(width));
  const blocksOf = (row: BoardRow) => sections.get(row.signal) ?? [];
  const heads = { most, sort, onSort: stable.sort, onColumn: stable.column };
  const firstBlocks = rows[0] ? blocksOf(rows[0]) : ([...sections.values()][0] ?? []);
  return (
    <Box>
      {/* biome-ignore lint/a11y/noNoninteractiveElementToInteractiveRole: cells are walked through by keys */}
      <table role="grid" aria-label="Board" className="board">
        <colgroup>
          <col style={{ width: 42 }} />
          <col style={{ width: 154 }} />
          <col style={{ width: 70 }} />
          {Array.from({ length: most }, (_, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a column is its place
            <col key={i} />
          ))}
        </colgroup>
        <thead>
          <Heads {...heads} purpose={purpose} blocks={firstBlocks} />
        </thead>
        <tbody>
          {rows.flatMap((row, r) => [
            rows[r - 1] && rows[r - 1]?.signal !== row.signal ? (
              <Heads key={`head of ${row.setup}`} {...heads} blocks={blocksOf(row)} />
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
      </table>
      {rows.length === 0 && (
        <Text color="ink3" px="16px" py="20px">
          No row of {name} matches. Esc clears the filter.
        </Text>
      )}
    </Box>
  );
}

interface HeadProps {
  blocks: Block[];
  most: number;
  sort: Sort | null;
  /** What the rows are scored for; undefined where the columns of another signal begin further down. */
  purpose?: string;
  onSort: (measurement: string, figure: string) => void;
  onColumn: (measurements: string[]) => void;
}

const Heads = memo(function Heads({ blocks, most, sort, purpose, onSort, onColumn }: HeadProps) {
  const groups = [...new Set(blocks.map((b) => b.group))];
  const again = purpose === undefined;
  return (
    <>
      <tr className={again ? "again" : undefined}>
        <td colSpan={3} />
        {groups.map((group) => {
          const own = blocks.filter((b) => b.group === group);
          return (
            <th key={group} colSpan={width(own)} scope="colgroup" className="group edge">
              <button
                type="button"
                title={`Select ${group.toLowerCase()} of every mode`}
                onClick={() => onColumn(own.map((b) => b.measurement))}
              >
                {group}
              </button>
            </th>
          );
        })}
        <Rest blocks={blocks} most={most} />
      </tr>
      <tr>
        <td />
        <th scope="col" className="head name">
          {again ? "" : "Mode and setup"}
        </th>
        <th scope="col" className="head">
          {purpose ?? ""}
        </th>
        {blocks.map((block, b) =>
          block.columns.map((column, i) => {
            const on = sort?.measurement === column.measurement && sort.figure === column.figure;
            const edge = i === 0 && (b === 0 || blocks[b - 1]?.group !== block.group);
            return (
              <th
                key={`${column.measurement}.${column.figure}`}
                scope="col"
                aria-sort={on ? (sort.down ? "descending" : "ascending") : undefined}
                className={edge ? "figure-head edge" : "figure-head"}
              >
                <button
                  type="button"
                  title={`${block.title}: sort by it; with Shift select it of every mode`}
                  onClick={(event) =>
                    event.shiftKey ? onColumn([block.measurement]) : onSort(column.measurement, column.figure)
                  }
                >
                  <span>
                    {on ? (sort.down ? "↓" : "↑") : ""}
                    {column.head}
                  </span>
                  <small>{column.unit || "\u00a0"}</small>
                </button>
              </th>
            );
          }),
        )}
        <Rest blocks={blocks} most={most} />
      </tr>
    </>
  );
});
