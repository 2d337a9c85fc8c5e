import { useCallback, useMemo } from "react";
import type { Chart, Mark } from "../../api/client";
import { DASHES } from "../../kit/LineSample";
import { type Colours, setupColour, useColours } from "../colours";
import { line, summary } from "../common";
import { Plot, type Scales } from "../Plot";

interface ShapeProps {
  mark: Mark;
  s: Scales;
  colours: Colours;
}

function Words({ mark, s, colours }: ShapeProps) {
  const [x, y] = mark.points[0] ?? [0, 0];
  const tone = setupColour(colours, mark.setup ?? 0);
  const fill = { lamp: colours.lamp, faint: colours.ink3, setup: tone }[mark.style] ?? colours.ink;
  return (
    <text
      x={s.x(x ?? 0)}
      y={s.y(y ?? 0)}
      dy="0.34em"
      textAnchor={mark.style === "setup" ? "start" : "middle"}
      fill={fill}
      style={{ fontSize: mark.small ? 10 : 12, fontWeight: mark.style === "lamp" ? 500 : 400 }}
      stroke={colours.ground}
      strokeOpacity={0.55}
      strokeWidth={2.5}
      paintOrder="stroke"
    >
      {mark.text}
      {mark.hint && <title>{mark.hint}</title>}
    </text>
  );
}

function Zone({ mark, s, colours }: ShapeProps) {
  const [[x0, y0], [x1, y1]] = mark.points as [[number, number], [number, number]];
  return (
    <rect
      x={s.x(x0)}
      y={s.y(y1)}
      width={s.x(x1) - s.x(x0)}
      height={s.y(y0) - s.y(y1)}
      rx={3}
      fill={colours.ink}
      fillOpacity={0.05 + 0.24 * (mark.shade ?? 0)}
    >
      {mark.hint && <title>{mark.hint}</title>}
    </rect>
  );
}

function Shape({ mark, s, colours, hatch }: ShapeProps & { hatch: string }) {
  if (mark.shape === "text") return <Words mark={mark} s={s} colours={colours} />;
  if (mark.shape === "box") return <Zone mark={mark} s={s} colours={colours} />;
  const d = line(mark.points, s.x, s.y) + (mark.shape === "area" ? "Z" : "");
  const hint = mark.hint && <title>{mark.hint}</title>;
  if (mark.style === "hatch") {
    return (
      <path d={d} fill={`url(#${hatch})`}>
        {hint}
      </path>
    );
  }
  const strokes: Record<string, string> = {
    outline: colours.ink2,
    contour: colours.ink2,
    faint: colours.line,
    target: colours.ink3,
    setup: setupColour(colours, mark.setup ?? 0),
    ink: colours.ink,
    lamp: colours.lamp,
  };
  return (
    <path
      d={d}
      fill="none"
      stroke={strokes[mark.style] ?? colours.ink2}
      strokeWidth={mark.style === "outline" ? 2 : mark.style === "contour" ? 0.7 : mark.small ? 0.8 : 1.5}
      strokeOpacity={mark.style === "contour" ? 0.75 : 1}
      strokeDasharray={mark.style === "target" ? "4 3" : mark.style === "setup" ? DASHES[mark.setup ?? 0] : undefined}
      strokeLinejoin="round"
    >
      {hint}
    </path>
  );
}

/** Shading as one small picture, smoothed by the browser. */
function Field({ field, chart, s }: { field: number[][]; chart: Chart; s: Scales }) {
  const href = useMemo(() => {
    const canvas = document.createElement("canvas");
    canvas.width = field[0]?.length ?? 1;
    canvas.height = field.length;
    const context = canvas.getContext("2d");
    if (!context) return "";
    const pixels = context.createImageData(canvas.width, canvas.height);
    field.flat().forEach((v, i) => {
      const grey = Math.round(22 + 62 * v);
      pixels.data.set([grey, grey, grey, 255], 4 * i);
    });
    context.putImageData(pixels, 0, 0);
    return canvas.toDataURL();
  }, [field]);
  const { x, y } = chart;
  return (
    <image
      href={href}
      x={s.x(x.low)}
      y={s.y(y.high)}
      width={s.x(x.high) - s.x(x.low)}
      height={s.y(y.low) - s.y(y.high)}
      preserveAspectRatio="none"
    />
  );
}

/** Marks in the units of their axes, for pictures that are no plot of series. */
export function Drawing({ chart, width }: { chart: Chart; width: number }) {
  const colours = useColours();
  const bare = chart.bare ?? false;
  const aspect = chart.aspect ?? 2;
  const frame = useMemo(() => {
    const [left, top, right, bottom] = bare ? [1, 1, 1, 1] : [46, 18, 10, 24];
    const room = Math.min(width, aspect < 1.4 ? 520 * aspect : 640);
    return { width: room, height: (room - left - right) / aspect + top + bottom, left, right, top, bottom };
  }, [width, aspect, bare]);
  const hatch = `hatch-${chart.key}`;
  const draw = useCallback(
    (s: Scales) => (
      <>
        <pattern id={hatch} width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="1.2" height="6" fill={colours.ink2} opacity="0.7" />
        </pattern>
        {(chart.field?.length ?? 0) > 0 && <Field field={chart.field} chart={chart} s={s} />}
        {chart.marks?.map((mark, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: marks have no other name and never move
          <Shape key={i} mark={mark} s={s} colours={colours} hatch={hatch} />
        ))}
      </>
    ),
    [chart, colours, hatch],
  );
  return <Plot x={chart.x} y={chart.y} frame={frame} label={summary(chart)} draw={draw} gridX bare={bare} />;
}
