import { useCallback, useMemo } from "react";
import type { Chart, Series } from "../../api/client";
import { DASHES } from "../../kit/LineSample";
import { type Colours, hueColour, setupColour, useColours } from "../colours";
import { CHARACTER, captionRoom, DOT, keyOf, line, marks, number, short, spread, summary } from "../common";
import { type Found, Plot, type Scales } from "../Plot";

const CHANNELS = ["red", "green", "blue", "cyan", "magenta", "yellow"];

function colourOf(series: Series, colours: Colours): string {
  if (CHANNELS.includes(series.role)) return hueColour(colours, series.role);
  if (series.role === "target") return colours.ink3;
  return setupColour(colours, series.setup);
}

const TOP = 18;
const BOTTOM = 26;
const LEFT = 46;
const GAP = 13;
const LONGEST = 27;

function Curve({ series, s, colours }: { series: Series; s: Scales; colours: Colours }) {
  const target = series.role === "target";
  const colour = colourOf(series, colours);
  return (
    <g stroke={colour} fill="none" strokeLinejoin="round">
      <path
        d={line(series.points, s.x, s.y)}
        strokeWidth={target ? 1.1 : 1.7}
        strokeDasharray={target ? "4 3" : DASHES[series.setup]}
      />
      {series.marks && <path d={marks(series.points, s.x, s.y, DOT)} strokeWidth={5} strokeLinecap="round" />}
    </g>
  );
}

interface NamesProps {
  chart: Chart;
  s: Scales;
  colours: Colours;
  height: number;
}

/** The names of the series at the right, each at its curve's end, pushed apart where they would overlap. */
function Names({ chart, s, colours, height }: NamesProps) {
  const ends = chart.series
    .map((series) => ({
      series,
      y: series.points.findLast(([x, y]) => x !== null && y !== null && x <= s.shown.x.high + 1e-9)?.[1],
    }))
    .filter((end): end is { series: Series; y: number } => end.y != null);
  const inside = (y: number) => Math.min(height - BOTTOM, Math.max(TOP, y));
  const at = spread(
    ends.map((e) => inside(s.y(e.y))),
    GAP,
    TOP - 6,
    height - BOTTOM - 2,
  );
  return ends.map(({ series }, i) => (
    <text key={keyOf(series)} x={s.x(s.shown.x.high) + 8} y={at[i]} dy="0.35em" fill={colourOf(series, colours)}>
      {series.name.length > LONGEST && <title>{series.name}</title>}
      {short(series.name, LONGEST)}
    </text>
  ));
}

/** How many of the curves' stretches, 6 px long, run through a box. */
function crossed(chart: Chart, s: Scales, [x0, y0, x1, y1]: [number, number, number, number]): number {
  let count = 0;
  for (const { points } of chart.series)
    for (const [i, [bx, by]] of points.entries()) {
      const [ax, ay] = points[i - 1] ?? [null, null];
      if (ax === null || ay === null || bx === null || by === null) continue;
      const [fx, fy, tx, ty] = [s.x(ax), s.y(ay), s.x(bx), s.y(by)];
      if (Math.max(fx, tx) < x0 || Math.min(fx, tx) > x1) continue;
      const steps = Math.ceil(Math.hypot(tx - fx, ty - fy) / 6);
      for (let k = 0; k <= steps; k++) {
        const [x, y] = [fx + ((tx - fx) * k) / steps, fy + ((ty - fy) * k) / steps];
        if (x >= x0 && x <= x1 && y >= y0 && y <= y1) count += 1;
      }
    }
  return count;
}

/** Points worth a word, which stands where the fewest curves run; a halo keeps it readable over those. */
function Notes({ chart, s, colours, height }: NamesProps) {
  const [left, right] = [s.x(s.shown.x.low), s.x(s.shown.x.high)];
  return chart.notes?.map((n) => {
    const [x, y] = [s.x(n.x), s.y(n.y)];
    if (x < left - 1 || x > right + 1 || y < TOP - 1 || y > height - BOTTOM + 1) return null;
    const length = n.text.length * 11 * CHARACTER;
    const sides = n.side === "left" ? [-1, 1] : [1, -1];
    const places = sides
      .flatMap((side) => [15, -9, 4].map((dy) => ({ side, at: x + 11 * side, dy })))
      .filter(({ side, at }) => at + side * length > left && at + side * length < right + 60);
    const rated = places.map(({ side, at, dy }, i) => {
      const [x0, x1] = side < 0 ? [at - length, at] : [at, at + length];
      const outside = y + dy > height - BOTTOM || y + dy - 9 < TOP ? 3 : 0;
      return { side, at, dy, cost: crossed(chart, s, [x0, y + dy - 10, x1, y + dy + 3]) + outside + i / 10 };
    });
    const best = rated.reduce(
      (a, b) => (b.cost < a.cost ? b : a),
      rated[0] ?? { side: 1, at: x + 11, dy: 15, cost: 0 },
    );
    return (
      <g key={`${n.x} ${n.text}`} fill={colours.lamp}>
        <circle cx={x} cy={y} r={3.5} stroke={colours.lamp} strokeWidth={1.4} fill="none" />
        <text
          x={best.at}
          y={y + best.dy}
          textAnchor={best.side < 0 ? "end" : "start"}
          stroke={colours.ground}
          strokeWidth={4}
          strokeLinejoin="round"
          paintOrder="stroke"
        >
          {n.text}
        </text>
      </g>
    );
  });
}

/** The values of all series at the level nearest to the pointer. */
function nearest(chart: Chart, colours: Colours, px: number, s: Scales): Found | null {
  const known = chart.series.map((series) => ({
    series,
    points: series.points.filter(([x, y]) => x !== null && y !== null) as [number, number][],
  }));
  const levels = known.flatMap(({ points }) => points.map(([x]) => x));
  if (!levels.length) return null;
  const distance = (x: number) => Math.abs(s.x(x) - px);
  const at = levels.reduce((best, x) => (distance(x) < distance(best) ? x : best));
  const here = known.flatMap(({ series, points }) => {
    const point = points.find(([x]) => Math.abs(s.x(x) - s.x(at)) < 0.5);
    return point ? [{ series, y: point[1] }] : [];
  });
  const span = chart.y.high - chart.y.low;
  const decimals = span < 1 ? 4 : span < 30 ? 2 : span < 300 ? 1 : 0;
  const level = chart.x.log ? Number((10 ** at).toPrecision(4)) : Number(at.toPrecision(6));
  const name = chart.x.labels?.length ? chart.x.labels[Math.round(at)] : `${level} ${chart.x.unit || chart.x.label}`;
  // Several setups' channels are told apart by colour in the picture, by word here.
  const told = (series: Series) =>
    CHANNELS.includes(series.role) && series.name !== series.role
      ? `${short(series.name, LONGEST)} ${series.role}`
      : short(series.name, LONGEST);
  const longest = Math.max(...here.map((h) => told(h.series).length));
  return {
    x: s.x(at),
    dots: here.map((h) => ({ y: s.y(h.y), colour: colourOf(h.series, colours) })),
    lines: [
      (name ?? "").replace("\n", " "),
      ...here.map((h) => {
        const value = chart.y.log ? Number((10 ** h.y).toPrecision(4)) : number(h.y, decimals);
        return `${told(h.series).padEnd(longest)}  ${value} ${chart.y.unit}`;
      }),
    ],
  };
}

/** Series over a common axis, labelled at their ends. */
export function Lines({ chart, height, width }: { chart: Chart; height: number; width: number }) {
  const colours = useColours();
  const longest = Math.min(LONGEST, Math.max(...chart.series.map((s) => s.name.length)));
  const right = Math.max(22 + longest * 11 * CHARACTER, captionRoom(chart.x));
  const frame = useMemo(() => ({ width, height, left: LEFT, right, top: TOP, bottom: BOTTOM }), [width, height, right]);
  const draw = useCallback(
    (s: Scales) => chart.series.map((series) => <Curve key={keyOf(series)} series={series} s={s} colours={colours} />),
    [chart, colours],
  );
  const over = useCallback(
    (s: Scales) => (
      <g style={{ fontSize: 11 }}>
        <Names chart={chart} s={s} colours={colours} height={height} />
        <Notes chart={chart} s={s} colours={colours} height={height} />
      </g>
    ),
    [chart, colours, height],
  );
  const find = useCallback((x: number, _: number, s: Scales) => nearest(chart, colours, x, s), [chart, colours]);
  return (
    <Plot
      x={chart.x}
      y={chart.y}
      frame={frame}
      label={summary(chart)}
      bands={chart.bands}
      draw={draw}
      over={over}
      find={find}
    />
  );
}
