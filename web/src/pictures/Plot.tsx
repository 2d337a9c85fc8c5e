import { Box, chakra } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";
import { memo, type PointerEvent, type ReactNode, useId, useMemo, useRef, useState } from "react";
import type { Axis } from "../api/client";
import { type Colours, useColours } from "./colours";
import { CHARACTER, caption, captionRoom, MONO, type Span, type Tick, ticks } from "./common";
import { type Frame, useZoom } from "./zoom";

/** From the units of the axes to px of the picture, and what is shown of either axis. */
export interface Scales {
  x: (v: number) => number;
  y: (v: number) => number;
  shown: { x: Span; y: Span };
}

/** What lies under the pointer: where it is marked, and what is said of it. */
export interface Found {
  x: number;
  /** Without it a line across the height of the plot is drawn. */
  y?: number;
  dots?: { y: number; colour: string }[];
  lines: string[];
}

const part = (axis: Span, { low, high }: Span): Span => ({
  low: axis.low + low * (axis.high - axis.low),
  high: axis.low + high * (axis.high - axis.low),
});

function Axes({ x, y, frame, scales, colours, ticksX, gridX }: PlotProps & { scales: Scales; colours: Colours }) {
  const { width, height, left, right, top, bottom } = frame;
  const within = ({ at }: Tick) => at >= scales.shown.x.low && at <= scales.shown.x.high;
  const acrossX = ticksX?.filter(within) ?? ticks(x, scales.shown.x);
  const acrossY = ticks(y, scales.shown.y);
  // Past the half of the last number.
  const past = ((acrossX.at(-1)?.text.length ?? 0) * 11 * CHARACTER) / 2 + 6;
  const grid =
    acrossY.map((t) => `M${left} ${scales.y(t.at).toFixed(1)}H${width - right}`).join("") +
    (gridX ? acrossX.map((t) => `M${scales.x(t.at).toFixed(1)} ${top}V${height - bottom}`).join("") : "");
  return (
    <g fill={colours.ink3} style={{ fontSize: 11 }}>
      <path d={grid} stroke={colours.lineSoft} fill="none" />
      {acrossX.map((t) => (
        <text key={t.at} x={scales.x(t.at)} y={height - bottom + 17} textAnchor="middle">
          {t.text.includes("\n")
            ? t.text.split("\n").map((words, i) => (
                <tspan key={words} x={scales.x(t.at)} dy={i ? 12 : 0}>
                  {words}
                </tspan>
              ))
            : t.text}
        </text>
      ))}
      {captionRoom(x) <= right && (
        <text x={width - right + past} y={height - bottom + 17} style={{ fontSize: 10 }}>
          {caption(x)}
        </text>
      )}
      <text x={left} y={top - 5} style={{ fontSize: 10 }}>
        {caption(y)}
      </text>
      {acrossY.map((t) => (
        <text key={t.at} x={left - 7} y={scales.y(t.at)} dy="0.35em" textAnchor="end">
          {t.text}
        </text>
      ))}
    </g>
  );
}

const LINE = 16;

/** What was found, beside its place and within the picture. */
function Told({ found, frame, colours }: { found: Found; frame: Frame; colours: Colours }) {
  const width = Math.max(...found.lines.map((l) => l.length)) * 12 * CHARACTER + 18;
  const height = found.lines.length * LINE + 10;
  const x = found.x + 12 + width > frame.width ? Math.max(0, found.x - 12 - width) : found.x + 12;
  const y = Math.min(frame.height - height, Math.max(0, (found.y ?? frame.top) - height / 2));
  return (
    <g pointerEvents="none" data-found>
      {found.y === undefined ? (
        <path d={`M${found.x} ${frame.top}V${frame.height - frame.bottom}`} stroke={colours.ink3} fill="none" />
      ) : (
        <circle cx={found.x} cy={found.y} r={8} stroke={colours.ink2} fill="none" />
      )}
      {found.dots?.map((d, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: one for each series, in their order
        <circle key={i} cx={found.x} cy={d.y} r={3.5} fill={d.colour} stroke={colours.ground} />
      ))}
      <rect x={x} y={y} width={width} height={height} rx={3} fill={colours.raised} stroke={colours.line} />
      <text fill={colours.ink} style={{ fontSize: 12 }}>
        {found.lines.map((words, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: lines of one text
          <tspan key={i} x={x + 9} y={y + 17 + i * LINE} xmlSpace="preserve">
            {words}
          </tspan>
        ))}
      </text>
    </g>
  );
}

interface PlotProps {
  x: Axis;
  y: Axis;
  frame: Frame;
  label: string;
  /** Within the axes, and cut off at their ends. */
  draw: (scales: Scales) => ReactNode;
  /** On top of all, not cut off. */
  over?: (scales: Scales) => ReactNode;
  /** Behind the grid. */
  bands?: [number, number][];
  /** What is at a place, in px. */
  find?: (x: number, y: number, scales: Scales) => Found | null;
  ticksX?: Tick[];
  gridX?: boolean;
  /** Without axes. */
  bare?: boolean;
}

const Whole = chakra("button");

/** Two axes with what is drawn between them; zoomed, moved and asked for exact values with the pointer. */
export const Plot = memo(function Plot(props: PlotProps) {
  const { x, y, frame, label, draw, over, bands, find, bare } = props;
  const { width, height, left, right, top, bottom } = frame;
  const colours = useColours();
  const svg = useRef<SVGSVGElement>(null);
  const clip = useId();
  const { view, zoomed, moving, whole, press } = useZoom(svg, frame);
  const [pointer, setPointer] = useState<{ x: number; y: number } | null>(null);
  const scales = useMemo<Scales>(() => {
    const shown = { x: part(x, view.x), y: part(y, view.y) };
    const across = scaleLinear([shown.x.low, shown.x.high], [left, width - right]);
    const up = scaleLinear([shown.y.low, shown.y.high], [height - bottom, top]);
    return { x: across, y: up, shown };
  }, [x, y, view, width, height, left, right, top, bottom]);
  // Not drawn anew while only the pointer moves.
  const picture = useMemo(
    () => (
      <>
        <clipPath id={clip}>
          <rect x={left - 3} y={top - 3} width={width - left - right + 6} height={height - top - bottom + 6} />
        </clipPath>
        <g clipPath={bare && !zoomed ? undefined : `url(#${clip})`}>
          {bands?.map(([low, high]) => (
            <rect
              key={low}
              x={left}
              width={width - left - right}
              y={scales.y(high)}
              height={scales.y(low) - scales.y(high)}
              fill={colours.plotBand}
            />
          ))}
        </g>
        {!bare && <Axes {...props} scales={scales} colours={colours} />}
        <g clipPath={bare && !zoomed ? undefined : `url(#${clip})`}>{draw(scales)}</g>
        {over?.(scales)}
      </>
    ),
    [props, scales, colours, clip, zoomed, bare, bands, draw, over, left, right, top, bottom, width, height],
  );
  const move = (event: PointerEvent<SVGSVGElement>) => {
    if (moving) return setPointer(null);
    if (!find) return;
    const place = event.currentTarget.getBoundingClientRect();
    const at = { x: event.clientX - place.left, y: event.clientY - place.top };
    const within = at.x >= left - 4 && at.x <= width - right + 4 && at.y >= top - 4 && at.y <= height - bottom + 4;
    setPointer(within ? at : null);
  };
  // Found anew with every drawing: under a pointer that rests, another target has other values.
  const found = pointer && find ? find(pointer.x, pointer.y, scales) : null;
  return (
    <Box position="relative">
      <svg
        ref={svg}
        width={width}
        height={height}
        role="img"
        aria-label={label}
        style={{
          display: "block",
          fontFamily: MONO,
          cursor: zoomed ? "grab" : undefined,
          touchAction: zoomed ? "none" : "pan-x pan-y",
          userSelect: "none",
        }}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: it is zoomed and moved with keys
        tabIndex={0}
        onKeyDown={press}
        onPointerMove={move}
        onPointerLeave={() => setPointer(null)}
        onDoubleClick={whole}
      >
        {picture}
        {found && <Told found={found} frame={frame} colours={colours} />}
      </svg>
      {zoomed && (
        <Whole
          type="button"
          onClick={whole}
          position="absolute"
          top={`${top + 2}px`}
          right={`${right + 4}px`}
          bg="raised"
          color="ink2"
          border="1px solid"
          borderColor="line"
          borderRadius="4px"
          fontSize="11px"
          px="7px"
          cursor="pointer"
        >
          whole picture
        </Whole>
      )}
    </Box>
  );
});
