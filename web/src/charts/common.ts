import type { EChartsOption } from "echarts/types/dist/shared";
import type { Axis, Chart } from "../api/client";
import type { Colours } from "./colours";

const MONO = '"Spline Sans Mono", monospace';

export const number = (v: number | null | undefined, decimals: number): string =>
  v == null ? "–" : v.toFixed(decimals).replace("-", "−");

/** A number with its sign, for what may go either way. */
export const signed = (v: number, decimals = 1): string => `${v < 0 ? "−" : "+"}${Math.abs(v).toFixed(decimals)}`;

export function textStyle(colours: Colours, size = 11) {
  return { color: colours.ink2, fontFamily: MONO, fontSize: size };
}

/** Distance between ticks: 1, 2 or 5 times a power of ten, six steps at most, as the report draws them too. */
export function tickStep(span: number): number {
  const power = 10 ** Math.floor(Math.log10(span / 6));
  return power * ([1, 2, 5, 10].find((m) => span / (power * m) <= 6 + 1e-9) ?? 10);
}

export function axisOption(axis: Axis, colours: Colours, grid: boolean) {
  const named = axis.labels?.length ? axis.labels : null;
  const step = axis.log || named ? 1 : tickStep(axis.high - axis.low);
  const round = (v: number) => Math.abs(v / step - Math.round(v / step)) < 1e-6;
  const decimals = Math.max(axis.decimals, Math.ceil(-Math.log10(step) - 1e-9), 0);
  return {
    type: "value" as const,
    min: axis.low,
    max: axis.high,
    interval: step,
    axisLabel: {
      ...textStyle(colours),
      color: colours.ink3,
      formatter: (v: number) => {
        if (!round(v)) return "";
        if (named) return named[Math.round(v)] ?? "";
        return axis.log ? String(Number((10 ** v).toPrecision(6))) : v.toFixed(decimals).replace("-", "−");
      },
    },
    axisLine: { show: false },
    axisTick: { show: false },
    splitLine: { show: grid, lineStyle: { color: colours.lineSoft } },
  };
}

export function tooltip(colours: Colours): EChartsOption["tooltip"] {
  return {
    backgroundColor: colours.raised,
    borderColor: colours.line,
    textStyle: { ...textStyle(colours, 12), color: colours.ink },
    confine: true,
    transitionDuration: 0,
  };
}

/** Margins are given: no room is to be made for labels, which would be measured for it each time. */
export const FIXED = { outerBoundsMode: "none" } as const;

export const base: EChartsOption = { animation: false, textStyle: { fontFamily: MONO } };

/** Zoom with Ctrl and the wheel, move by dragging: the page itself still scrolls. */
export const zoom: EChartsOption["dataZoom"] = [
  { type: "inside", xAxisIndex: 0, zoomOnMouseWheel: "ctrl", moveOnMouseWheel: false, filterMode: "none" },
  { type: "inside", yAxisIndex: 0, zoomOnMouseWheel: "ctrl", moveOnMouseWheel: false, filterMode: "none" },
];

export const summary = (chart: Chart) => (chart.headline ? `${chart.title}: ${chart.headline}` : chart.title);
