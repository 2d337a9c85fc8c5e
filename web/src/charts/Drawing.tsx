import { Box, chakra } from "@chakra-ui/react";
import { type PointerEvent, useEffect, useMemo, useRef, useState } from "react";
import type { Chart, Mark } from "../api/client";
import { DASHES, TONES } from "../parts/LineSample";
import { summary, tickStep } from "./common";

const Svg = chakra("svg");
const Path = chakra("path");
const Rect = chakra("rect");
const Text = chakra("text");
const Line = chakra("line");
const MOST_ZOOM = 12;

interface View {
  x: number;
  y: number;
  k: number;
}

interface Scales {
  x: (v: number) => number;
  y: (v: number) => number;
}

function path(mark: Mark, s: Scales): string {
  let pen = "M";
  let out = "";
  for (const [x, y] of mark.points) {
    if (x === null || y === null) {
      pen = "M";
      continue;
    }
    out += `${pen}${s.x(x).toFixed(1)} ${s.y(y).toFixed(1)}`;
    pen = "L";
  }
  return mark.shape === "area" ? `${out}Z` : out;
}

function Shape({ mark, scales, zoom, hatch }: { mark: Mark; scales: Scales; zoom: number; hatch: string }) {
  const tone = TONES[mark.setup ?? 0] ?? "ink";
  const hint = mark.hint ? <title>{mark.hint}</title> : null;
  if (mark.shape === "text") {
    const [x, y] = mark.points[0] ?? [0, 0];
    const colour =
      mark.style === "lamp" ? "lamp" : mark.style === "faint" ? "ink3" : mark.style === "setup" ? tone : "ink";
    return (
      <Text
        x={scales.x(x ?? 0)}
        y={scales.y(y ?? 0)}
        dy="0.34em"
        textAnchor={mark.style === "setup" ? "start" : "middle"}
        fill={colour}
        fontSize={`${(mark.small ? 10 : 12) / zoom ** 0.6}px`}
        fontWeight={mark.style === "lamp" ? 500 : 400}
        stroke="ground"
        strokeOpacity={0.55}
        strokeWidth={2.5 / zoom ** 0.6}
        paintOrder="stroke"
      >
        {mark.text}
        {hint}
      </Text>
    );
  }
  if (mark.shape === "box") {
    const [[x0, y0], [x1, y1]] = mark.points as [[number, number], [number, number]];
    return (
      <Rect
        x={scales.x(x0)}
        y={scales.y(y1)}
        width={scales.x(x1) - scales.x(x0)}
        height={scales.y(y0) - scales.y(y1)}
        rx={3}
        fill="ink"
        fillOpacity={0.05 + 0.24 * (mark.shade ?? 0)}
      >
        {hint}
      </Rect>
    );
  }
  const d = path(mark, scales);
  if (mark.style === "hatch") {
    return (
      <path d={d} fill={`url(#${hatch})`}>
        {hint}
      </path>
    );
  }
  const stroke =
    { outline: "ink2", contour: "ink2", faint: "line", target: "ink3", setup: tone, ink: "ink" }[mark.style] ?? "ink2";
  const width = mark.style === "outline" ? 2 : mark.style === "contour" ? 0.7 : mark.small ? 0.8 : 1.5;
  return (
    <Path
      d={d}
      fill="none"
      stroke={stroke}
      strokeWidth={width}
      strokeOpacity={mark.style === "contour" ? 0.75 : 1}
      strokeDasharray={mark.style === "target" ? "4 3" : mark.style === "setup" ? DASHES[mark.setup ?? 0] : undefined}
      strokeLinejoin="round"
      vectorEffect="non-scaling-stroke"
    >
      {hint}
    </Path>
  );
}

/** Shading as one small picture, smoothed by the browser. */
function Field({
  field,
  x,
  y,
  width,
  height,
}: {
  field: number[][];
  x: number;
  y: number;
  width: number;
  height: number;
}) {
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
  return <image href={href} x={x} y={y} width={width} height={height} preserveAspectRatio="none" />;
}

function ticks(low: number, high: number): number[] {
  const step = tickStep(high - low);
  const out: number[] = [];
  for (let v = Math.ceil(low / step - 1e-9) * step; v <= high + step * 1e-6; v += step) out.push(v);
  return out;
}

/** Marks in the units of their axes, for pictures that are no plot of series. Ctrl and the wheel zoom, dragging moves. */
export function Drawing({ chart, width }: { chart: Chart; width: number }) {
  const svg = useRef<SVGSVGElement>(null);
  const [view, setView] = useState<View>({ x: 0, y: 0, k: 1 });
  const from = useRef<{ x: number; y: number; view: View } | null>(null);
  const aspect = chart.aspect ?? 2;
  const bare = chart.bare ?? false;
  const [left, top, right, bottom] = bare ? [1, 1, 1, 1] : [42, 8, 10, 24];
  const room = Math.min(width, aspect < 1.4 ? 520 * aspect : 640);
  const w = room - left - right;
  const h = w / aspect;
  const height = h + top + bottom;
  const scales = useMemo<Scales>(
    () => ({
      x: (v) => left + ((v - chart.x.low) / (chart.x.high - chart.x.low)) * w,
      y: (v) => top + h - ((v - chart.y.low) / (chart.y.high - chart.y.low)) * h,
    }),
    [chart, w, h, left, top],
  );
  // biome-ignore lint/correctness/useExhaustiveDependencies: another chart starts unzoomed
  useEffect(() => setView({ x: 0, y: 0, k: 1 }), [chart.key]);
  useEffect(() => {
    const box = svg.current;
    if (!box) return;
    const wheel = (event: WheelEvent) => {
      if (!event.ctrlKey) return;
      event.preventDefault();
      const place = box.getBoundingClientRect();
      const px = event.clientX - place.left;
      const py = event.clientY - place.top;
      setView((v) => {
        const k = Math.min(MOST_ZOOM, Math.max(1, v.k * Math.exp(-event.deltaY / 300)));
        if (k === 1) return { x: 0, y: 0, k: 1 };
        return { k, x: px - ((px - v.x) * k) / v.k, y: py - ((py - v.y) * k) / v.k };
      });
    };
    box.addEventListener("wheel", wheel, { passive: false });
    return () => box.removeEventListener("wheel", wheel);
  }, []);
  const drag = (event: PointerEvent) => {
    if (!from.current) return;
    const { x, y, view: start } = from.current;
    setView({ ...start, x: start.x + event.clientX - x, y: start.y + event.clientY - y });
  };
  const id = `hatch-${chart.key}`;
  return (
    <Box position="relative">
      <Svg
        ref={svg}
        width={`${room}px`}
        height={`${height}px`}
        viewBox={`0 0 ${room} ${height}`}
        role="img"
        aria-label={summary(chart)}
        fontFamily="mono"
        color="ink2"
        cursor={view.k > 1 ? "grab" : undefined}
        onPointerDown={(e) => {
          if (view.k > 1) from.current = { x: e.clientX, y: e.clientY, view };
        }}
        onPointerMove={drag}
        onPointerUp={() => {
          from.current = null;
        }}
        onPointerLeave={() => {
          from.current = null;
        }}
      >
        <defs>
          <pattern id={id} width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <rect width="1.2" height="6" fill="currentColor" opacity="0.7" />
          </pattern>
          <clipPath id={`clip-${chart.key}`}>
            <rect x={left - 1} y={top - 1} width={w + 2} height={h + 2} />
          </clipPath>
        </defs>
        <g clipPath={bare ? undefined : `url(#clip-${chart.key})`}>
          <g transform={`translate(${view.x} ${view.y}) scale(${view.k})`}>
            {(chart.field?.length ?? 0) > 0 && (
              <Field field={chart.field as number[][]} x={left} y={top} width={w} height={h} />
            )}
            {!bare && (
              <>
                {ticks(chart.x.low, chart.x.high).map((v) => (
                  <Line
                    key={`x${v}`}
                    x1={scales.x(v)}
                    x2={scales.x(v)}
                    y1={top}
                    y2={top + h}
                    stroke="lineSoft"
                    strokeWidth={0.7}
                  />
                ))}
                {ticks(chart.y.low, chart.y.high).map((v) => (
                  <Line
                    key={`y${v}`}
                    x1={left}
                    x2={left + w}
                    y1={scales.y(v)}
                    y2={scales.y(v)}
                    stroke="lineSoft"
                    strokeWidth={0.7}
                  />
                ))}
              </>
            )}
            {chart.marks?.map((mark, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: marks have no other name and never move
              <Shape key={i} mark={mark} scales={scales} zoom={view.k} hatch={id} />
            ))}
          </g>
        </g>
        {!bare && view.k === 1 && (
          <g>
            {ticks(chart.x.low, chart.x.high).map((v) => (
              <Text key={`tx${v}`} x={scales.x(v)} y={height - 6} textAnchor="middle" fill="ink3" fontSize="11px">
                {String(v).replace("-", "−")}
              </Text>
            ))}
            {ticks(chart.y.low, chart.y.high).map((v) => (
              <Text
                key={`ty${v}`}
                x={left - 6}
                y={scales.y(v)}
                dy="0.34em"
                textAnchor="end"
                fill="ink3"
                fontSize="11px"
              >
                {String(v).replace("-", "−")}
              </Text>
            ))}
          </g>
        )}
      </Svg>
    </Box>
  );
}
