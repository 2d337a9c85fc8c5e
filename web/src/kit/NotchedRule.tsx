import "./notched-rule.css";

interface Props {
  points: number | null;
  low?: number | null;
  high?: number | null;
  width?: number;
  stale?: boolean;
}

/** Points from 0 to 100: a solid notch at the score, a soft band for its interval; dotted where unmeasured. */
export function NotchedRule({ points, low, high, width = 64, stale = false }: Props) {
  const height = width > 100 ? 14 : 10;
  const middle = height / 2;
  const at = (p: number) => 1.5 + (p / 100) * (width - 3);
  const label = points === null ? "no points" : `${Math.round(points)} of 100 points`;
  const from = at(low ?? points ?? 0);
  const to = at(high ?? points ?? 0);
  return (
    <svg className="notched-rule" width={width} height={height} role="img" aria-label={label}>
      <line
        className={points === null ? "none" : undefined}
        x1={1}
        x2={width - 1}
        y1={middle}
        y2={middle}
        strokeDasharray={points === null ? "1 3" : stale ? "4 3" : undefined}
      />
      {points !== null && (
        <>
          <rect className="interval" x={from - 1} y={middle - 2} width={to - from + 2} height={4} />
          <rect className={stale ? "stale" : undefined} x={at(points) - 1.25} y={0} width={2.5} height={height} />
        </>
      )}
    </svg>
  );
}
