import { scaleLinear } from "d3-scale";
import { line as shape } from "d3-shape";
import type { Axis, Chart, Series } from "../api/client";

export const MONO = '"Spline Sans Mono", monospace';
/** Width of a character of the monospaced face, as a part of its size. */
export const CHARACTER = 0.6;

export const number = (v: number | null | undefined, decimals: number): string =>
  v == null
    ? "–"
    : v
        .toFixed(decimals)
        .replace(/^-(?=[0.]*$)/, "")
        .replace("-", "−");

/** A number with its sign, for what may go either way. */
export const signed = (v: number, decimals = 1): string => {
  const text = Math.abs(v).toFixed(decimals);
  return Number(text) === 0 ? text : `${v < 0 ? "−" : "+"}${text}`;
};

/** A name as long as there is room for. */
export const short = (name: string, most: number): string =>
  name.length <= most ? name : `${name.slice(0, most - 1).trimEnd()}…`;

export const summary = (chart: Chart) => (chart.headline ? `${chart.title}: ${chart.headline}` : chart.title);

/** What tells a series of a chart from its others: several of a setup may bear its name, and two setups the same one. */
export const keyOf = (series: Series) => `${series.name} ${series.role} ${series.setup}`;

export interface Span {
  low: number;
  high: number;
}

/** What an axis shows, in which unit. */
export const caption = (axis: Axis) => [axis.label, axis.unit].filter(Boolean).join(", ");
/** Room at the right of a plot, in px, for the caption of its x axis beside the last tick. */
export const captionRoom = (axis: Axis) => caption(axis).length * 10 * CHARACTER + 24;

export interface Tick {
  at: number;
  text: string;
}

const MOST_STEPS = 6;

/** Round values within what is shown, six steps at most between them, as the report draws them too. */
function round({ low, high }: Span): number[] {
  // Whatever the last bits of a sum are, a tick at an end of what is shown stays.
  const little = 1e-9 * (high - low);
  const scale = scaleLinear([low - little, high + little], [0, 1]);
  for (let count = MOST_STEPS; count > 0; count--) {
    const found = scale.ticks(count);
    const [first, second] = found;
    if (first !== undefined && second !== undefined && (high - low) / (second - first) <= MOST_STEPS + 1e-9)
      return found;
  }
  return [low, high];
}

const wholes = ({ low, high }: Span): number[] => {
  const first = Math.ceil(low - 1e-9);
  return Array.from({ length: Math.max(0, Math.floor(high + 1e-6) - first + 1) }, (_, i) => first + i);
};

/** Round values within what is shown of an axis: names where it has any, decades where it is logarithmic. */
export function ticks(axis: Axis, shown: Span): Tick[] {
  if (axis.labels?.length) return wholes(shown).map((at) => ({ at, text: axis.labels?.[Math.round(at)] ?? "" }));
  if (axis.log) {
    const parts = shown.high - shown.low > 1.5 ? [1] : [1, 2, 5];
    const decades = wholes({ low: Math.floor(shown.low), high: shown.high });
    return decades
      .flatMap((d) => parts.map((p) => d + Math.log10(p)))
      .filter((at) => at >= shown.low - 1e-9 && at <= shown.high + 1e-9)
      .map((at) => ({ at, text: String(Number((10 ** at).toPrecision(6))) }));
  }
  const values = round(shown);
  const step = (values[1] ?? 1) - (values[0] ?? 0);
  const decimals = Math.max(axis.decimals, Math.ceil(-Math.log10(step) - 1e-9), 0);
  return values.map((at) => ({ at, text: number(at, decimals) }));
}

type Scale = (v: number) => number;
type Points = readonly (readonly (number | null)[])[];

/** A path through points that breaks where a value is missing. */
export function line(points: Points, x: Scale, y: Scale): string {
  const draw = shape<readonly (number | null)[]>(
    ([px]) => x(px ?? 0),
    ([, py]) => y(py ?? 0),
  )
    .defined(([px, py]) => px != null && py != null)
    .digits(1);
  return draw(points) ?? "";
}

/** A mark of the same form at each point, as one path: a hundred elements would take ten times as long to draw. */
export function marks(points: Points, x: Scale, y: Scale, form: string): string {
  let out = "";
  for (const [px, py] of points) if (px != null && py != null) out += `M${x(px).toFixed(1)} ${y(py).toFixed(1)}${form}`;
  return out;
}

/** A dot, when stroked with round ends at the width it is to have. */
export const DOT = "h0";
/** The thin cross of a target. */
export const cross = (size: number) => `m${-size} 0h${2 * size}m${-size} ${-size}v${2 * size}`;

/** Heights for labels as near as can be to those wanted, none over another, in the order given; all within limits. */
export function spread(wanted: number[], gap: number, low: number, high: number): number[] {
  const order = wanted.map((_, i) => i).sort((a, b) => (wanted[a] ?? 0) - (wanted[b] ?? 0));
  const out = [...wanted];
  let last = low - gap;
  for (const i of order) {
    last = Math.max(out[i] ?? 0, last + gap);
    out[i] = last;
  }
  let below = high + gap;
  for (const i of order.reverse()) {
    below = Math.min(out[i] ?? 0, below - gap);
    out[i] = below;
  }
  return out;
}
