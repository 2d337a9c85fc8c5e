import { Box, chakra, Grid } from "@chakra-ui/react";
import { memo } from "react";
import type { BoardCell, BoardFigure } from "../../api/client";
import { Mono } from "../../parts/basics";
import { NotchedRule } from "../../parts/NotchedRule";
import type { Block } from "./blocks";

function Working({ cell }: { cell: BoardCell }) {
  const share = cell.total ? cell.done / cell.total : 0;
  const on = cell.state === "measuring";
  return (
    <Box px="5px" pt="1px">
      <Mono color={on ? "lamp" : "ink3"} fontSize="11.5px" whiteSpace="nowrap">
        {on ? `${cell.done}/${cell.total}` : "queued"}
      </Mono>
      <Box mt="8px" h="2px" bg="lineSoft">
        <Box h="2px" bg="lamp" style={{ width: `${100 * share}%` }} />
      </Box>
    </Box>
  );
}

function Figure({
  text,
  points,
  title,
  stale = false,
  faint = false,
  ruled = true,
  flag = false,
}: {
  text: string;
  points: number | null;
  title?: string;
  stale?: boolean;
  faint?: boolean;
  ruled?: boolean;
  flag?: boolean;
}) {
  return (
    <Box textAlign="right" pr="7px" pl="2px" title={title} minW={0}>
      <Mono
        display="block"
        fontSize={text.length > 8 ? "11px" : "12.5px"}
        letterSpacing={text.length > 7 ? "-0.03em" : undefined}
        lineHeight="18px"
        whiteSpace="nowrap"
        color={text === "·" || stale ? "ink3" : faint ? "ink2" : "ink"}
      >
        {text}
        {flag && (
          <chakra.span color="lamp" fontWeight="500">
            !
          </chakra.span>
        )}
      </Mono>
      <Box h="12px" lineHeight="10px">
        {ruled && <NotchedRule points={points} width={38} stale={stale} />}
      </Box>
    </Box>
  );
}

/** What is doubtful enough for a mark of its own; the rest is told on hover. */
const flagged = (note: string) => note.includes("correction") || note.includes("misread");

/** A cell's figures, or how far its measuring is; drawn anew only when these change. */
export const Cell = memo(function Cell({ block, cell }: { block: Block; cell: BoardCell }) {
  const working = cell.state === "measuring" || cell.state === "queued";
  if (cell.figures.length === 0 && working) return <Working cell={cell} />;
  const figures: (BoardFigure | undefined)[] = block.columns.map((c) =>
    cell.figures.find((f) => f.figure === c.figure),
  );
  const stale = cell.state === "stale";
  return (
    <Grid templateColumns={`repeat(${block.columns.length}, minmax(0, 1fr))`}>
      {figures.map((f, i) => {
        const key = block.columns[i]?.figure;
        if (!f) {
          const text = i === 0 && cell.state === "partial" ? `${cell.done}/${cell.total}` : "·";
          return <Figure key={key} text={text} points={null} />;
        }
        const raw = f.raw == null ? "" : `${f.raw}${f.uncertainty == null ? "" : ` ± ${f.uncertainty.toPrecision(2)}`}`;
        const judged = f.points != null;
        const told = [raw, judged ? `${Math.round(f.points ?? 0)} points` : "", cell.note ?? ""]
          .filter(Boolean)
          .join(" · ");
        return (
          <Figure
            key={key}
            text={f.text}
            points={f.points ?? null}
            ruled={judged}
            faint={working}
            stale={stale}
            flag={!stale && i === 0 && flagged(cell.note ?? "")}
            title={told}
          />
        );
      })}
    </Grid>
  );
});
