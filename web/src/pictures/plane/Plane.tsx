import { useCallback, useMemo } from "react";
import type { Chart, Series } from "../../api/client";
import { DASHES } from "../../kit/LineSample";
import { type Colours, hueColour, setupColour, useColours } from "../colours";
import { CHARACTER, cross, DOT, keyOf, line, marks, short, spread, summary } from "../common";
import { type Found, Plot, type Scales } from "../Plot";

const LEFT = 46;
const TOP = 18;
const BOTTOM = 28;
const GAP = 13;
/** From so many dots on they are drawn smaller. */
const MANY = 40;

interface PartProps {
  series: Series;
  s: Scales;
  colours: Colours;
}

const shown = (s: Scales, x: number, y: number) =>
  x >= s.shown.x.low && x <= s.shown.x.high && y >= s.shown.y.low && y <= s.shown.y.high;

const isLine = (series: Series) => ["guide", "target_line", "outline"].includes(series.role);

/** Names of points along a line, leaving out those that would run into one before. */
function Steps({ series, s, colours }: PartProps) {
  const placed: { x: number; y: number; end: number; text: string }[] = [];
  for (const [i, [x, y]] of series.points.entries()) {
    const text = series.labels?.[i];
    if (!text || x === null || y === null || !shown(s, x, y)) continue;
    const at = { x: s.x(x) + 5, y: s.y(y), end: s.x(x) + 5 + text.length * 10 * CHARACTER, text };
    if (placed.every((p) => at.x > p.end || at.end < p.x || Math.abs(at.y - p.y) > 11)) placed.push(at);
  }
  return (
    <g fill={colours.ink3} style={{ fontSize: 10 }}>
      {placed.map((p) => (
        <text key={p.text} x={p.x} y={p.y} dy="0.35em">
          {p.text}
        </text>
      ))}
    </g>
  );
}

/** The locus of the spectrum, a target's triangle or a measured one. */
function Outline({ series, s, colours }: PartProps) {
  const measured = series.role === "outline";
  const target = series.role === "target_line";
  const colour = measured ? setupColour(colours, series.setup) : colours.ink3;
  return (
    <g stroke={colour} fill="none" strokeLinejoin="round">
      <path
        d={line(series.points, s.x, s.y)}
        strokeWidth={measured ? 1.7 : target ? 1.1 : 0.9}
        strokeDasharray={measured ? DASHES[series.setup] : target ? "4 3" : undefined}
      />
      {series.role === "guide" && series.labels?.length > 0 && (
        <path d={marks(series.points, s.x, s.y, DOT)} strokeWidth={3} strokeLinecap="round" />
      )}
    </g>
  );
}

/** Each measured dot with a whisker to the thin cross of its target. */
function Dots({ series, s, colours }: PartProps) {
  const many = series.points.length > MANY;
  const targets = series.whisker ?? [];
  const whiskers = targets.flatMap((t, i) => [
    t,
    series.points[Math.min(i, series.points.length - 1)] ?? t,
    [null, null],
  ]);
  const hues = new Map<string, Series["points"]>();
  for (const [i, point] of series.points.entries()) {
    const hue = series.hues?.[i] ?? "";
    hues.get(hue)?.push(point) ?? hues.set(hue, [point]);
  }
  return (
    <g fill="none">
      <path d={line(whiskers, s.x, s.y)} stroke={colours.ink3} />
      <path d={marks(targets, s.x, s.y, cross(many ? 4 : 5.5))} stroke={colours.ink2} strokeWidth={1.1} />
      {[...hues].map(([hue, points]) => (
        <path
          key={hue}
          d={marks(points, s.x, s.y, DOT)}
          stroke={hue ? hueColour(colours, hue) : setupColour(colours, series.setup)}
          strokeWidth={many ? 6 : 9}
          strokeLinecap="round"
        />
      ))}
    </g>
  );
}

/** The dots of another setup, as rings: their colour says whose they are, not what was meant. */
function Rings({ series, s, colours }: PartProps) {
  const d = marks(series.points, s.x, s.y, DOT);
  const size = series.points.length > MANY ? 6 : 8;
  return (
    <g fill="none" strokeLinecap="round">
      <path d={d} stroke={setupColour(colours, series.setup)} strokeWidth={size} />
      <path d={d} stroke={colours.ground} strokeWidth={size - 2.6} />
    </g>
  );
}

/** The name of each triangle beside its blue corner and of each setup's dot, pushed apart where they would overlap. */
function Names({
  chart,
  s,
  colours,
  low,
  high,
}: {
  chart: Chart;
  s: Scales;
  colours: Colours;
  low: number;
  high: number;
}) {
  const named = chart.series.flatMap((series) => {
    // A cloud of rings is named where a triangle has its blue corner.
    const cloud = series.role === "other";
    const corner = cloud || series.role === "outline" || series.role === "target_line";
    const lowest = () => series.points.reduce((a, b) => ((b[1] ?? 1) < (a[1] ?? 1) ? b : a));
    const [x, y] = (cloud ? lowest() : corner ? series.points[2] : series.points.at(-1)) ?? [null, null];
    if (x == null || y == null || !shown(s, x, y)) return [];
    if (!corner && (isLine(series) || series.role === "target" || series.hues?.length)) return [];
    const colour = series.role === "target_line" ? colours.ink3 : setupColour(colours, series.setup);
    return [{ series, corner, colour, x: s.x(x) + (corner ? 16 : -11), y: s.y(y) }];
  });
  const place = (corner: boolean) => {
    const these = named.filter((n) => n.corner === corner);
    const at = spread(
      these.map((n) => n.y),
      GAP,
      low,
      high,
    );
    return these.map((n, i) => (
      <text
        key={keyOf(n.series)}
        x={n.x}
        y={at[i]}
        dy="0.35em"
        textAnchor={corner ? "start" : "end"}
        fill={n.colour}
        stroke={colours.ground}
        strokeWidth={3}
        strokeLinejoin="round"
        paintOrder="stroke"
      >
        {short(n.series.name, 27)}
      </text>
    ));
  };
  return (
    <g style={{ fontSize: 11 }}>
      {place(true)}
      {place(false)}
    </g>
  );
}

const REACH = 14;

/** The dot nearest to the pointer, if one is near. */
function nearest(chart: Chart, px: number, py: number, s: Scales): Found | null {
  let best: Found | null = null;
  let least = REACH;
  for (const series of chart.series.filter((c) => !isLine(c)))
    for (const [i, [x, y]] of series.points.entries()) {
      if (x === null || y === null) continue;
      const distance = Math.hypot(s.x(x) - px, s.y(y) - py);
      if (distance >= least) continue;
      least = distance;
      const label = series.labels?.[i];
      const lines = [...(label ? [label] : []), short(series.name, 27), `u′ ${x.toFixed(4)}  v′ ${y.toFixed(4)}`];
      best = { x: s.x(x), y: s.y(y), lines };
    }
  return best;
}

/** A chromaticity plane with equal axes. */
export function Plane({ chart, height, width }: { chart: Chart; height: number; width: number }) {
  const colours = useColours();
  const frame = useMemo(() => {
    const [spanX, spanY] = [chart.x.high - chart.x.low, chart.y.high - chart.y.low];
    const unit = Math.min((height - TOP - BOTTOM) / spanY, (width - LEFT - 24) / spanX);
    const [w, h] = [unit * spanX, unit * spanY];
    return { width, height: h + TOP + BOTTOM, left: LEFT, right: width - LEFT - w, top: TOP, bottom: BOTTOM };
  }, [chart, height, width]);
  const draw = useCallback(
    (s: Scales) => {
      const rank = (series: Series) => (isLine(series) ? 0 : series.role === "target" ? 1 : 2);
      const ordered = [...chart.series].sort((a, b) => rank(a) - rank(b));
      return ordered.map((series) => {
        const key = keyOf(series);
        if (isLine(series)) return <Outline key={key} series={series} s={s} colours={colours} />;
        if (series.role === "other") return <Rings key={key} series={series} s={s} colours={colours} />;
        if (series.role !== "target") return <Dots key={key} series={series} s={s} colours={colours} />;
        const d = marks(series.points, s.x, s.y, cross(7.5));
        return <path key={key} d={d} stroke={colours.ink2} strokeWidth={1.2} />;
      });
    },
    [chart, colours],
  );
  const over = useCallback(
    (s: Scales) => (
      <>
        {chart.series
          .filter((series) => isLine(series) && series.labels?.length)
          .map((series) => (
            <Steps key={keyOf(series)} series={series} s={s} colours={colours} />
          ))}
        <Names chart={chart} s={s} colours={colours} low={TOP} high={frame.height - BOTTOM} />
      </>
    ),
    [chart, colours, frame],
  );
  const find = useCallback((x: number, y: number, s: Scales) => nearest(chart, x, y, s), [chart]);
  return <Plot x={chart.x} y={chart.y} frame={frame} label={summary(chart)} draw={draw} over={over} find={find} />;
}
