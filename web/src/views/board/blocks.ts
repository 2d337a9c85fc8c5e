import type { BoardColumn, BoardRow } from "../../api/client";

/** What the rows are sorted by. */
export interface Sort {
  measurement: string;
  figure: string;
  down: boolean;
}

/** The columns of one measurement, which stand together. */
export interface Block {
  measurement: string;
  title: string;
  group: string;
  columns: BoardColumn[];
}

/** Columns by the measurement they come from: the main ones of all groups, or every one of a single group. */
export function blocksOf(columns: BoardColumn[], group: string | null): Block[] {
  const blocks: Block[] = [];
  for (const column of columns) {
    if (group ? column.group !== group : !column.main) continue;
    const last = blocks.at(-1);
    if (last?.measurement === column.measurement) last.columns.push(column);
    else blocks.push({ measurement: column.measurement, title: column.title, group: column.group, columns: [column] });
  }
  return blocks;
}

/** By signal the columns that its rows have any use for. */
export function sectionsOf(rows: BoardRow[], columns: BoardColumn[], group: string | null): Map<string, Block[]> {
  const sections = new Map<string, Block[]>();
  for (const signal of new Set(rows.map((r) => r.signal))) {
    const known = new Set(rows.filter((r) => r.signal === signal).flatMap((r) => r.cells.map((c) => c.measurement)));
    sections.set(
      signal,
      blocksOf(
        columns.filter((c) => known.has(c.measurement) && c.signals.some((s) => s === signal)),
        group,
      ),
    );
  }
  return sections;
}

/** Rows that hold every word of a filter in their name, target, state, sample or firmware. */
export function filtered(rows: BoardRow[], filter: string): BoardRow[] {
  const words = filter.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return rows;
  return rows.filter((r) => {
    const states = new Set(r.cells.map((c) => c.state));
    const text = `${r.name} ${r.mode} ${r.room} ${r.format} ${r.target_title} ${r.state} sample ${r.sample} firmware ${r.firmware} ${[...states].join(" ")}`;
    return words.every((w) => text.toLowerCase().includes(w));
  });
}

/** Rows by a figure, those of one signal together; those without it last. */
export function sorted(rows: BoardRow[], sort: Sort | null): BoardRow[] {
  if (!sort) return rows;
  const value = (r: BoardRow) =>
    r.cells.find((c) => c.measurement === sort.measurement)?.figures.find((f) => f.figure === sort.figure)?.raw ?? null;
  const signals = [...new Set(rows.map((r) => r.signal))];
  return [...rows].sort((a, b) => {
    if (a.signal !== b.signal) return signals.indexOf(a.signal) - signals.indexOf(b.signal);
    const [x, y] = [value(a), value(b)];
    if (x === null || y === null) return (x === null ? 1 : 0) - (y === null ? 1 : 0);
    return sort.down ? y - x : x - y;
  });
}
