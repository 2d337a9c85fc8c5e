import { type MouseEvent, memo, useEffect, useMemo, useRef } from "react";
import type { BoardCell, BoardFigure } from "../../api/client";
import { useProgress } from "../../api/progress";
import { NotchedRule } from "../../kit/NotchedRule";
import type { Block } from "./blocks";

function Working({ cell }: { cell: BoardCell }) {
  const share = cell.total ? cell.done / cell.total : 0;
  const on = cell.state !== "queued";
  return (
    <div className={on ? "working on" : "working"}>
      {on ? `${cell.done}/${cell.total}${cell.state === "computing" ? " …" : ""}` : "queued"}
      <div>
        <div style={{ transform: `scaleX(${share})` }} />
      </div>
    </div>
  );
}

interface FigureProps {
  text: string;
  points: number | null;
  title?: string;
  stale?: boolean;
  faint?: boolean;
  ruled?: boolean;
  flag?: boolean;
}

function Figure({ text, points, title, stale = false, faint = false, ruled = true, flag = false }: FigureProps) {
  const look = ["text", text.length > 7 && "tight", text.length > 8 && "long"];
  if (text === "·" || stale) look.push("stale");
  else if (faint) look.push("faint");
  return (
    <div className="figure" title={title}>
      <span className={look.filter(Boolean).join(" ")}>
        {text}
        {flag && <i>!</i>}
      </span>
      <div className="points">{ruled && <NotchedRule points={points} width={38} stale={stale} />}</div>
    </div>
  );
}

function told(figure: BoardFigure, note: string): string {
  const spread = figure.uncertainty == null ? "" : ` ± ${figure.uncertainty.toPrecision(2)}`;
  const raw = figure.raw == null ? "" : `${figure.raw}${spread}`;
  const points = figure.points == null ? "" : `${Math.round(figure.points)} points`;
  return [raw, points, note].filter(Boolean).join(" · ");
}

/** A cell's figures, or how far its measuring is. */
function Figures({ block, cell }: { block: Block; cell: BoardCell }) {
  const working = ["measuring", "computing", "queued"].includes(cell.state);
  if (cell.figures.length === 0 && working) return <Working cell={cell} />;
  const stale = cell.state === "stale";
  return (
    <div className="figures" style={{ gridTemplateColumns: `repeat(${block.columns.length}, minmax(0, 1fr))` }}>
      {block.columns.map(({ figure }, i) => {
        const f = cell.figures.find((x) => x.figure === figure);
        if (!f) {
          const text = i === 0 && cell.state === "partial" ? `${cell.done}/${cell.total}` : "·";
          return <Figure key={figure} text={text} points={null} />;
        }
        return (
          <Figure
            key={figure}
            text={f.text}
            points={f.points ?? null}
            ruled={f.points != null}
            faint={working}
            stale={stale}
            flag={i === 0 && cell.marked}
            title={told(f, cell.note ?? "")}
          />
        );
      })}
    </div>
  );
}

/** What a cell says to who does not see it: its state, and every figure with unit and points. */
export function cellLabel(row: string, block: Block, cell: BoardCell): string {
  const figures = block.columns.flatMap((c) => {
    const f = cell.figures.find((x) => x.figure === c.figure);
    if (!f) return [];
    const points = f.points == null ? "" : `, ${Math.round(f.points)} points`;
    return [`${c.head} ${f.text.replace("≥", "at least").replace("<", "under")} ${c.unit}${points}`];
  });
  const progress = cell.state === "measuring" ? ` ${cell.done} of ${cell.total}` : "";
  const said = [`${block.title} of ${row}: ${cell.state}${progress}`, ...figures, cell.note];
  return said.filter(Boolean).join("; ");
}

/** Why a cell has no figures yet. */
const NOTHING_YET: Partial<Record<BoardCell["state"], string>> = {
  measuring: "being measured",
  computing: "measured; its figures are being computed",
  queued: "will be measured in this run",
};

export interface CellProps {
  setup: number;
  /** The name of its row. */
  name: string;
  block: Block;
  cell: BoardCell;
  row: number;
  column: number;
  /** Whether it begins another group of columns. */
  edge: boolean;
  selected: boolean;
  /** Whether the cursor is on it, and whether the focus follows the cursor. */
  here: boolean;
  focus: boolean;
  onClick: (event: MouseEvent, row: number, column: number, setup: number, cell: BoardCell) => void;
  onCursor: (row: number, column: number) => void;
}

/** One cell of the grid. It follows how far its measuring is by itself, and is drawn anew only when something of it changes. */
export const Cell = memo(function Cell(props: CellProps) {
  const { setup, name, block, cell, row, column, edge, selected, here, focus, onClick, onCursor } = props;
  const progress = useProgress(setup, cell.measurement);
  const now = useMemo(
    () => (progress ? { ...cell, ...progress, state: "measuring" as const } : cell),
    [cell, progress],
  );
  const element = useRef<HTMLTableCellElement>(null);
  useEffect(() => {
    if (focus && here) element.current?.focus();
  }, [here, focus]);
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the keys of the view act on the cell that has the cursor
    <td
      ref={element}
      className={edge ? "cell edge" : "cell"}
      // biome-ignore lint/a11y/noNoninteractiveElementToInteractiveRole: the cells of a grid are walked through by keys
      role="gridcell"
      colSpan={block.columns.length}
      tabIndex={here ? 0 : -1}
      aria-selected={selected}
      aria-label={cellLabel(name, block, now)}
      data-cell={`${name} ${cell.measurement}`}
      data-state={now.state}
      title={
        now.figures.length === 0 ? `${block.title}: ${now.note || NOTHING_YET[now.state] || "not measured"}` : undefined
      }
      onClick={(event) => onClick(event, row, column, setup, cell)}
      onFocus={() => !here && onCursor(row, column)}
    >
      <Figures block={block} cell={now} />
    </td>
  );
});
