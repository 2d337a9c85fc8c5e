import type { EChartsOption, SeriesOption } from "echarts/types/dist/shared";
import { useMemo } from "react";
import type { Chart, Series } from "../api/client";
import { type Colours, setupColour, setupDash, useColours } from "./colours";
import { axisOption, base, FIXED, number, summary, textStyle, tooltip, zoom } from "./common";
import { Plot } from "./Plot";

function colourOf(series: Series, colours: Colours): string {
  if (series.role === "red") return colours.chRed;
  if (series.role === "green") return colours.chGreen;
  if (series.role === "blue") return colours.chBlue;
  if (series.role === "yellow") return colours.chYellow;
  if (series.role === "cyan") return colours.chCyan;
  if (series.role === "magenta") return colours.chMagenta;
  if (series.role === "target") return colours.ink3;
  return setupColour(colours, series.setup);
}

function seriesOf(chart: Chart, series: Series, colours: Colours): SeriesOption {
  const colour = colourOf(series, colours);
  const target = series.role === "target";
  return {
    type: "line",
    name: series.name,
    data: series.points.map(([x, y]) => [x, y] as [number | null, number | null]) as never,
    color: colour,
    lineStyle: { color: colour, width: target ? 1.1 : 1.7, type: target ? [4, 3] : setupDash(series.setup) },
    symbol: "circle",
    symbolSize: 5,
    showSymbol: series.marks ?? false,
    connectNulls: false,
    z: target ? 2 : 3,
    emphasis: { disabled: true },
    ...(chart.series[0] === series && chart.bands?.length
      ? {
          markArea: {
            silent: true,
            itemStyle: { color: colours.plotBand },
            data: chart.bands.map(([low, high]) => [{ yAxis: low }, { yAxis: high }]) as never,
          },
        }
      : {}),
  };
}

const TOP = 12;
const BOTTOM = 26;
const LINE = 13;

/** The names of the series at the right, each at its curve's end, pushed apart where they would overlap. */
function endLabels(chart: Chart, colours: Colours, height: number): SeriesOption {
  const perPixel = (chart.y.high - chart.y.low) / (height - TOP - BOTTOM);
  const ends = chart.series
    .map((series) => ({ series, y: series.points.findLast(([, y]) => y !== null)?.[1] }))
    .filter((end): end is { series: Series; y: number } => end.y != null)
    .sort((a, b) => b.y - a.y);
  let above = Number.POSITIVE_INFINITY;
  const placed = ends.map(({ series, y }) => {
    const at = Math.min(y, above - LINE * perPixel);
    above = at;
    return { series, at };
  });
  const low = placed.at(-1)?.at ?? 0;
  const lift = Math.max(0, chart.y.low - low);
  return {
    type: "scatter",
    data: placed.map(({ series, at }) => ({
      value: [chart.x.high, at + lift],
      label: {
        show: true,
        formatter: series.name,
        position: "right",
        distance: 8,
        ...textStyle(colours),
        color: colourOf(series, colours),
      },
    })) as never,
    symbolSize: 0.1,
    silent: true,
    clip: false,
    z: 4,
  };
}

/** Series over a common axis, labelled at their ends. */
export function Lines({ chart, height }: { chart: Chart; height: number }) {
  const colours = useColours();
  const option = useMemo<EChartsOption>(() => {
    const longest = Math.max(...chart.series.map((s) => s.name.length));
    const span = chart.y.high - chart.y.low;
    const decimals = span < 1 ? 4 : span < 30 ? 2 : span < 300 ? 1 : 0;
    const notes: SeriesOption[] = chart.notes?.length
      ? [
          {
            type: "scatter",
            data: chart.notes.map((n) => ({
              value: [n.x, n.y],
              label: {
                show: true,
                formatter: n.text,
                position: n.side ?? "right",
                offset: [0, 11],
                ...textStyle(colours),
                color: colours.lamp,
                distance: 8,
              },
            })) as never,
            symbolSize: 7,
            itemStyle: { color: "transparent", borderColor: colours.lamp, borderWidth: 1.4 },
            silent: true,
            z: 5,
          },
        ]
      : [];
    return {
      ...base,
      grid: { ...FIXED, left: 46, right: 22 + Math.min(longest, 27) * 6.7, top: TOP, bottom: BOTTOM },
      xAxis: axisOption(chart.x, colours, false),
      yAxis: axisOption(chart.y, colours, true),
      dataZoom: zoom,
      tooltip: {
        ...(tooltip(colours) as object),
        trigger: "axis",
        axisPointer: { type: "line", lineStyle: { color: colours.ink3, width: 1 } },
        formatter: (items: unknown) => {
          const list = items as { seriesName: string; value: [number, number | null]; seriesType: string }[];
          const lines = list.filter((i) => i.seriesType === "line");
          const first = lines[0];
          if (!first) return "";
          const rows = lines.map((i) => `${i.seriesName}&ensp;${number(i.value[1], decimals)} ${chart.y.unit}`);
          const at = chart.x.log ? Number((10 ** first.value[0]).toPrecision(4)) : first.value[0];
          const where = chart.x.labels?.length ? chart.x.labels[at] : `${at} ${chart.x.unit || chart.x.label}`;
          return [where, ...rows].join("<br>");
        },
      },
      series: [...chart.series.map((s) => seriesOf(chart, s, colours)), ...notes, endLabels(chart, colours, height)],
    };
  }, [chart, colours, height]);
  return <Plot option={option} height={height} label={summary(chart)} />;
}
