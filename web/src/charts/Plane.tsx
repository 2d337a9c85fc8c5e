import type { EChartsOption, SeriesOption } from "echarts/types/dist/shared";
import { useMemo } from "react";
import type { Chart, Series } from "../api/client";
import { type Colours, hueColour, setupColour, setupDash, useColours } from "./colours";
import { axisOption, base, FIXED, summary, textStyle, tooltip, zoom } from "./common";
import { Plot } from "./Plot";

const CROSS = "path://M-5 -0.6H-0.6V-5H0.6V-0.6H5V0.6H0.6V5H-0.6V0.6H-5Z";

function outline(series: Series, colours: Colours): SeriesOption {
  const measured = series.role === "outline";
  const colour = measured ? setupColour(colours, series.setup) : colours.ink3;
  return {
    type: "line",
    name: series.name,
    data: series.points as never,
    symbol: series.role === "guide" && series.labels?.length ? "circle" : "none",
    showAllSymbol: true,
    symbolSize: 3,
    color: colour,
    lineStyle: {
      color: colour,
      width: measured ? 1.7 : series.role === "target_line" ? 1.1 : 0.9,
      type: measured ? setupDash(series.setup) : series.role === "target_line" ? [4, 3] : "solid",
    },
    label: series.labels?.length
      ? {
          show: true,
          formatter: (p) => series.labels?.[p.dataIndex] ?? "",
          position: "right",
          ...textStyle(colours, 10),
          color: colours.ink3,
        }
      : { show: false },
    labelLayout: { hideOverlap: true },
    silent: true,
    z: 2,
  };
}

/** Each measured dot with a whisker to the thin cross of its target. */
function dots(series: Series, colours: Colours): SeriesOption[] {
  const whiskers: SeriesOption = {
    type: "line",
    // One line with gaps: a series for each of a hundred whiskers would be slow.
    data: (series.whisker ?? []).flatMap((target, i) => [
      target,
      series.points[Math.min(i, series.points.length - 1)] ?? target,
      [null, null],
    ]) as never,
    symbol: "none",
    silent: true,
    connectNulls: false,
    lineStyle: { color: colours.ink3, width: 1 },
    z: 3,
  };
  const crosses: SeriesOption = {
    type: "scatter",
    data: (series.whisker ?? []) as never,
    symbol: CROSS,
    symbolSize: series.points.length > 40 ? 8 : 11,
    itemStyle: { color: colours.ink2 },
    silent: true,
    z: 4,
  };
  const points: SeriesOption = {
    type: "scatter",
    name: series.name,
    data: series.points.map((p, i) => ({
      value: p,
      name: series.labels?.[i] ?? series.name,
      itemStyle: {
        color: series.hues?.length ? hueColour(colours, series.hues[i] ?? "") : setupColour(colours, series.setup),
      },
    })) as never,
    symbolSize: series.points.length > 40 ? 6 : 9,
    label: {
      show: !series.hues?.length,
      formatter: series.name,
      position: "left",
      ...textStyle(colours),
      color: setupColour(colours, series.setup),
    },
    labelLayout: { moveOverlap: "shiftY" },
    z: 5,
  };
  return [whiskers, crosses, points];
}

const LINE = 13;

/** The name of each triangle beside its blue corner, pushed apart where they would overlap. */
function names(chart: Chart, colours: Colours, perPixel: number): SeriesOption {
  const corners = chart.series
    .filter((s) => s.role === "outline" || s.role === "target_line")
    .map((s) => ({ s, x: s.points[2]?.[0] ?? 0, y: s.points[2]?.[1] ?? 0 }))
    .sort((a, b) => b.y - a.y);
  let above = Number.POSITIVE_INFINITY;
  return {
    type: "scatter",
    data: corners.map(({ s, x, y }) => {
      above = Math.min(y, above - LINE * perPixel);
      const color = s.role === "outline" ? setupColour(colours, s.setup) : colours.ink3;
      return {
        value: [x, above],
        label: { show: true, formatter: s.name, position: "right", distance: 14, ...textStyle(colours), color },
      };
    }) as never,
    symbolSize: 0.1,
    silent: true,
    z: 4,
  };
}

/** A chromaticity plane with equal axes. */
export function Plane({ chart, height, width }: { chart: Chart; height: number; width: number }) {
  const colours = useColours();
  const option = useMemo<EChartsOption>(() => {
    const plotHeight = height - 40;
    const plotWidth = plotHeight * ((chart.x.high - chart.x.low) / (chart.y.high - chart.y.low));
    const fit = Math.min(1, (width - 70) / plotWidth);
    return {
      ...base,
      grid: { ...FIXED, left: 46, top: 12, width: plotWidth * fit, height: plotHeight * fit },
      xAxis: axisOption(chart.x, colours, false),
      yAxis: axisOption(chart.y, colours, true),
      dataZoom: zoom,
      tooltip: {
        ...(tooltip(colours) as object),
        trigger: "item",
        formatter: (item: unknown) => {
          const { name, value } = item as { name: string; value: [number, number] };
          return `${name}<br>u′ ${value[0].toFixed(4)}&ensp;v′ ${value[1].toFixed(4)}`;
        },
      },
      series: [
        names(chart, colours, (chart.y.high - chart.y.low) / (plotHeight * fit)),
        ...chart.series.flatMap((s): SeriesOption[] => {
          if (s.role === "guide" || s.role === "target_line" || s.role === "outline") return [outline(s, colours)];
          if (s.role === "target") {
            return [
              {
                type: "scatter" as const,
                name: s.name,
                data: s.points as never,
                symbol: CROSS,
                symbolSize: 15,
                itemStyle: { color: colours.ink2 },
                z: 4,
              },
            ];
          }
          return dots(s, colours);
        }),
      ],
    };
  }, [chart, colours, height, width]);
  return <Plot option={option} height={height} label={summary(chart)} />;
}
