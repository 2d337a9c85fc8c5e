import { Box, chakra, Flex } from "@chakra-ui/react";
import type { EChartsOption } from "echarts/types/dist/shared";
import { useMemo } from "react";
import type { Chart } from "../api/client";
import { type Colours, useColours } from "./colours";
import { axisOption, base, FIXED, number, summary, textStyle, tooltip } from "./common";
import { Plot } from "./Plot";

/** Three textures: solid for lightness, lines for chroma, dots for hue. */
function texture(part: string, colours: Colours) {
  if (part === "lightness") return { color: colours.ink };
  if (part === "chroma") {
    return {
      color: colours.raised,
      borderColor: colours.ink2,
      borderWidth: 0.8,
      decal: {
        symbol: "rect" as const,
        color: colours.ink,
        dashArrayX: [1, 0],
        dashArrayY: [1.4, 2.6],
        rotation: -Math.PI / 4,
      },
    };
  }
  return {
    color: colours.ground,
    borderColor: colours.ink3,
    borderWidth: 0.8,
    decal: {
      symbol: "circle" as const,
      color: colours.ink2,
      dashArrayX: [
        [3, 3],
        [0, 3, 3, 0],
      ],
      dashArrayY: [3, 0],
      symbolSize: 0.7,
    },
  };
}

const Svg = chakra("svg");

function Sample({ part }: { part: string }) {
  const id = `sample-${part}`;
  return (
    <Flex as="span" align="center" gap="5px">
      <Svg width="14px" height="10px" color="ink2" aria-hidden>
        <defs>
          <pattern
            id={id}
            width="4"
            height="4"
            patternUnits="userSpaceOnUse"
            patternTransform={part === "chroma" ? "rotate(45)" : undefined}
          >
            {part === "chroma" ? (
              <rect width="1.5" height="4" fill="currentColor" />
            ) : (
              <circle cx="2" cy="2" r="0.9" fill="currentColor" />
            )}
          </pattern>
        </defs>
        <rect
          x="0.5"
          y="0.5"
          width="13"
          height="9"
          fill={part === "lightness" ? "currentColor" : `url(#${id})`}
          stroke="currentColor"
          strokeWidth="0.8"
        />
      </Svg>
      {part}
    </Flex>
  );
}

/** Signed bars of the terms of dE2000, side by side about a middle line. */
export function Anatomy({ chart, height }: { chart: Chart; height: number }) {
  const colours = useColours();
  const option = useMemo<EChartsOption>(() => {
    const first = chart.series[0];
    const named = chart.x.labels ?? [];
    const categories = named.length ? named : (first?.points.map(([x]) => String(x)) ?? []);
    return {
      ...base,
      grid: { ...FIXED, left: 46, right: 14, top: 12, bottom: named.some((n) => n.includes("\n")) ? 44 : 26 },
      xAxis: {
        type: "category",
        data: categories as string[],
        axisLabel: named.length
          ? { ...textStyle(colours, 10), color: colours.ink3, interval: 0, lineHeight: 12 }
          : { ...textStyle(colours), color: colours.ink3, hideOverlap: true },
        axisLine: { onZero: false, show: false },
        axisTick: { show: false },
      },
      yAxis: axisOption(chart.y, colours, true),
      tooltip: {
        ...(tooltip(colours) as object),
        trigger: "axis",
        axisPointer: { type: "shadow", shadowStyle: { color: colours.plotBand, opacity: 0.4 } },
        formatter: (items: unknown) => {
          const list = items as { seriesName: string; value: number; axisValue: string }[];
          return [
            `${list[0]?.axisValue} ${chart.x.unit}`,
            ...list.map((i) => `${i.seriesName}&ensp;${number(i.value, 2)}`),
          ].join("<br>");
        },
      },
      series: chart.series.map((s) => ({
        type: "bar" as const,
        name: s.name,
        data: s.points.map(([, y]) => y) as never,
        itemStyle: texture(s.name, colours) as never,
        barGap: "12%",
        barCategoryGap: "30%",
        emphasis: { disabled: true },
      })),
    };
  }, [chart, colours]);
  return (
    <Box>
      <Flex gap="16px" color="ink3" fontSize="11px" pl="46px">
        {chart.series.map((s) => (
          <Sample key={s.name} part={s.name} />
        ))}
      </Flex>
      <Plot option={option} height={height - 16} label={summary(chart)} />
    </Box>
  );
}
