import { Box, Flex } from "@chakra-ui/react";
import { useCallback, useId, useMemo } from "react";
import type { Chart } from "../../api/client";
import { type Colours, useColours } from "../colours";
import { CHARACTER, number, summary, type Tick } from "../common";
import { Plot, type Scales } from "../Plot";

/** Three textures: solid for lightness, lines for chroma, dots for hue. */
function Textures({ id, colours }: { id: string; colours: Colours }) {
  return (
    <defs>
      <pattern id={`${id}chroma`} width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <rect width="4" height="4" fill={colours.raised} />
        <rect width="1.5" height="4" fill={colours.ink} />
      </pattern>
      <pattern id={`${id}hue`} width="4" height="4" patternUnits="userSpaceOnUse">
        <rect width="4" height="4" fill={colours.ground} />
        <circle cx="2" cy="2" r="0.9" fill={colours.ink2} />
      </pattern>
    </defs>
  );
}

const fill = (id: string, part: string, colours: Colours) =>
  part === "lightness" ? colours.ink : `url(#${id}${part})`;

function Sample({ part, colours }: { part: string; colours: Colours }) {
  const id = useId();
  return (
    <Flex as="span" align="center" gap="5px">
      <svg width="14" height="10" aria-hidden="true">
        <Textures id={id} colours={colours} />
        <rect
          x="0.5"
          y="0.5"
          width="13"
          height="9"
          fill={fill(id, part, colours)}
          stroke={colours.ink2}
          strokeWidth="0.8"
        />
      </svg>
      {part}
    </Flex>
  );
}

const LEFT = 46;
const RIGHT = 14;

/** The names under the bars; of numbers no more than there is room for. */
function categories(chart: Chart, room: number): { named: string[]; shown: Tick[] } {
  const first = chart.series[0];
  const given = chart.x.labels ?? [];
  const named = given.length ? given : (first?.points.map(([x]) => String(Number(x?.toPrecision(3)))) ?? []);
  const all = named.map((text, at) => ({ at, text }));
  if (given.length) return { named, shown: all };
  const longest = Math.max(1, ...named.map((n) => n.length)) * 11 * CHARACTER + 8;
  const every = Math.max(1, Math.ceil((longest * named.length) / room));
  return { named, shown: all.filter((t) => t.at % every === 0) };
}

/** Signed bars of the terms of dE2000, side by side about a middle line. */
export function Anatomy({ chart, height, width }: { chart: Chart; height: number; width: number }) {
  const colours = useColours();
  const id = useId();
  const { named, shown } = useMemo(() => categories(chart, width - LEFT - RIGHT), [chart, width]);
  const count = named.length;
  const x = useMemo(() => ({ ...chart.x, low: -0.5, high: count - 0.5 }), [chart, count]);
  const bottom = named.some((n) => n.includes("\n")) ? 44 : 26;
  const frame = useMemo(() => ({ width, height, left: LEFT, right: RIGHT, top: 18, bottom }), [width, height, bottom]);
  const draw = useCallback(
    (s: Scales) => {
      const slot = s.x(1) - s.x(0);
      const bar = Math.min((slot * 0.74) / chart.series.length, 16);
      return (
        <>
          <Textures id={id} colours={colours} />
          {chart.series.map((series, j) =>
            series.points.map(([, y], i) => {
              if (y === null) return null;
              const left = s.x(i) + (j - chart.series.length / 2) * bar;
              const key = `${series.name} ${i}`;
              return (
                <rect
                  key={key}
                  x={left}
                  y={Math.min(s.y(0), s.y(y))}
                  width={bar * 0.9}
                  height={Math.abs(s.y(y) - s.y(0))}
                  fill={fill(id, series.name, colours)}
                  stroke={series.name === "lightness" ? "none" : colours.ink2}
                  strokeWidth={0.8}
                />
              );
            }),
          )}
          <path d={`M${s.x(-0.5)} ${s.y(0)}H${s.x(count - 0.5)}`} stroke={colours.ink3} />
        </>
      );
    },
    [chart, colours, id, count],
  );
  const find = useCallback(
    (px: number, _: number, s: Scales) => {
      const i = Math.min(count - 1, Math.max(0, Math.round((px - s.x(0)) / (s.x(1) - s.x(0)))));
      const longest = Math.max(...chart.series.map((c) => c.name.length));
      const values = chart.series.map((c) => `${c.name.padEnd(longest)}  ${number(c.points[i]?.[1], 2)}`);
      return { x: s.x(i), lines: [`${named[i]?.replace("\n", " ")} ${chart.x.unit}`, ...values] };
    },
    [chart, named, count],
  );
  return (
    <Box>
      <Flex gap="16px" color="ink3" fontSize="11px" pl="46px">
        {chart.series.map((s) => (
          <Sample key={s.name} part={s.name} colours={colours} />
        ))}
      </Flex>
      <Plot x={x} y={chart.y} frame={frame} label={summary(chart)} draw={draw} find={find} ticksX={shown} />
    </Box>
  );
}
