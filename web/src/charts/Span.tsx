import { chakra } from "@chakra-ui/react";
import type { Chart } from "../api/client";
import { TONES } from "../parts/LineSample";
import { summary } from "./common";

const Svg = chakra("svg");
const Line = chakra("line");
const Text = chakra("text");
const Circle = chakra("circle");
const ROW = 50;

/** Reaches from black to white on a logarithmic axis; an open end means "at most". */
export function Span({ chart, width }: { chart: Chart; width: number }) {
  const left = 18;
  const right = width - 18;
  const height = 40 + ROW * chart.series.length;
  const x = (log: number) => left + ((log - chart.x.low) / (chart.x.high - chart.x.low)) * (right - left);
  const decades = Array.from({ length: chart.x.high - chart.x.low + 1 }, (_, i) => chart.x.low + i);
  return (
    <Svg
      width="100%"
      height={`${height}px`}
      viewBox={`0 0 ${width} ${height}`}
      role="img"
      aria-label={summary(chart)}
      fontFamily="mono"
      fontSize="11px"
    >
      {decades.map((d) => (
        <g key={d}>
          <Line x1={x(d)} x2={x(d)} y1={4} y2={height - 26} stroke="lineSoft" />
          <Text x={x(d)} y={height - 8} textAnchor="middle" fill="ink3">
            {10 ** d >= 1 ? 10 ** d : (10 ** d).toFixed(-d)}
          </Text>
        </g>
      ))}
      {chart.series.map((s, i) => {
        const [from, to] = s.points;
        const tone = TONES[s.setup] ?? "ink";
        const y = 32 + ROW * i;
        const start = from?.[0] ? x(Math.log10(from[0])) : left;
        const end = x(Math.log10(to?.[0] ?? 1));
        const open = s.labels?.[0]?.startsWith("at least") ?? true;
        return (
          <g key={s.name}>
            <Line
              x1={start}
              x2={end}
              y1={y}
              y2={y}
              stroke={tone}
              strokeWidth={2}
              strokeDasharray={["", "6 4", "2 3", "8 3 2 3"][s.setup]}
            />
            <Circle cx={start} cy={y} r={4} fill={open ? "ground" : tone} stroke={tone} strokeWidth={1.5} />
            <Circle cx={end} cy={y} r={4} fill={tone} />
            <Text x={start} y={y - 11} fill={tone}>
              {s.name} {s.labels?.[0]}
            </Text>
            <Text x={end} y={y - 11} textAnchor="end" fill={tone}>
              {s.labels?.[1]}
            </Text>
          </g>
        );
      })}
    </Svg>
  );
}
