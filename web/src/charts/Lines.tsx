import { useCallback, useMemo } from "react";
import type { Chart, Series } from "../api/client";
import { DASHES } from "../parts/LineSample";
import { type Colours, hueColour, setupColour, useColours } from "./colours";
import { CHARACTER, DOT, line, marks, number, spread, summary } from "./common";
import { type Found, Plot, type Scales } from "./Plot";

const CHANNELS = ["red", "green", "blue", "cyan", "magenta", "yellow"];

function colourOf(series: Series, colours: Colours): string {
  if (CHANNELS.includes(series.role)) return hueColour(colours, series.role);
  if (series.role === "target") return colours.ink3;
  return setupColour(colours, series.setup);
}

const TOP = 12;
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

/** The names of the series at the right, each at its curve's end, pushed apart where they would overlap. */
function Names({ chart, s, colours, height }: { chart: Chart; s: Scales; colours: Colours; height: number }) {
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
    height - BOTTOM + 6,
  );
  return ends.map(({ series }, i) => (
    <text
      key={`${series.name} ${series.setup}`}
      x={s.x(s.shown.x.high) + 8}
      y={at[i]}
      dy="0.35em"
      fill={colourOf(series, colours)}
    >
      {series.name}
    </text>
  ));
}

/** Points worth a word, with a halo that keeps the word readable over curves. */
function Notes({ chart, s, colours }: { chart: Chart; s: Scales; colours: Colours }) {
  return chart.notes?.map((n) => (
    <g key={`${n.x} ${n.text}`} fill={colours.lamp}>
      <circle cx={s.x(n.x)} cy={s.y(n.y)} r={3.5} stroke={colours.lamp} strokeWidth={1.4} fill="none" />
      <text
        x={s.x(n.x) + (n.side === "left" ? -11 : 11)}
        y={s.y(n.y) + 15}
        textAnchor={n.side === "left" ? "end" : "start"}
        stroke={colours.ground}
        strokeWidth={4}
        strokeLinejoin="round"
        paintOrder="stroke"
      >
        {n.text}
      </text>
    </g>
  ));
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
    CHANNELS.includes(series.role) && series.name !== series.role ? `${series.name} ${series.role}` : series.name;
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
  const frame = useMemo(
    () => ({ width, height, left: LEFT, right: 22 + longest * 11 * CHARACTER, top: TOP, bottom: BOTTOM }),
    [width, height, longest],
  );
  const draw = useCallback(
    (s: Scales) =>
      chart.series.map((series) => (
        <Curve key={`${series.name} ${series.setup}`} series={series} s={s} colours={colours} />
      )),
    [chart, colours],
  );
  const over = useCallback(
    (s: Scales) => (
      <g style={{ fontSize: 11 }}>
        <Names chart={chart} s={s} colours={colours} height={height} />
        <Notes chart={chart} s={s} colours={colours} />
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
