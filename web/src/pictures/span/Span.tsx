import { scaleLinear } from "d3-scale";
import type { Chart } from "../../api/client";
import { DASHES } from "../../kit/LineSample";
import { setupColour, useColours } from "../colours";
import { keyOf, MONO, short, summary } from "../common";

const ROW = 50;

/** Reaches from black to white on a logarithmic axis; an open end means "at most". */
export function Span({ chart, width }: { chart: Chart; width: number }) {
  const colours = useColours();
  const left = 18;
  const right = width - 18;
  const height = 40 + ROW * chart.series.length;
  const x = scaleLinear([chart.x.low, chart.x.high], [left, right]);
  const decades = Array.from({ length: chart.x.high - chart.x.low + 1 }, (_, i) => chart.x.low + i);
  return (
    <svg
      width={width}
      height={height}
      role="img"
      aria-label={summary(chart)}
      style={{ fontFamily: MONO, fontSize: 11 }}
    >
      {decades.map((d) => (
        <g key={d}>
          <line x1={x(d)} x2={x(d)} y1={4} y2={height - 26} stroke={colours.lineSoft} />
          <text x={x(d)} y={height - 8} textAnchor="middle" fill={colours.ink3}>
            {10 ** d >= 1 ? 10 ** d : (10 ** d).toFixed(-d)}
          </text>
        </g>
      ))}
      {chart.series.map((s, i) => {
        const [from, to] = s.points;
        const tone = setupColour(colours, s.setup);
        const y = 32 + ROW * i;
        const start = from?.[0] ? x(Math.log10(from[0])) : left;
        const end = x(Math.log10(to?.[0] ?? 1));
        const open = !s.marks;
        return (
          <g key={keyOf(s)}>
            <line x1={start} x2={end} y1={y} y2={y} stroke={tone} strokeWidth={2} strokeDasharray={DASHES[s.setup]} />
            <circle cx={start} cy={y} r={4} fill={open ? colours.ground : tone} stroke={tone} strokeWidth={1.5} />
            <circle cx={end} cy={y} r={4} fill={tone} />
            <text x={start} y={y - 11} fill={tone}>
              {short(s.name, 27)} {s.labels?.[0]}
            </text>
            <text x={end} y={y - 11} textAnchor="end" fill={tone}>
              {s.labels?.[1]}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
