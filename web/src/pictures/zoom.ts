import { select } from "d3-selection";
import { type D3ZoomEvent, type ZoomBehavior, type ZoomTransform, zoom, zoomIdentity } from "d3-zoom";
import { type KeyboardEvent, type RefObject, useEffect, useMemo, useRef, useState } from "react";
import type { Span } from "./common";

const MOST = 12;
const WHOLE: Span = { low: 0, high: 1 };

/** Which part of a picture is shown, of its width from the left and of its height from the bottom. */
export interface View {
  x: Span;
  y: Span;
}

export interface Frame {
  width: number;
  height: number;
  left: number;
  right: number;
  top: number;
  bottom: number;
}

const STEP = 1.5;
/** By key: how far the picture moves, in parts of what is shown. */
const MOVES: Record<string, [number, number]> = {
  ArrowLeft: [0.15, 0],
  ArrowRight: [-0.15, 0],
  ArrowDown: [0, -0.15],
  ArrowUp: [0, 0.15],
};

/** Which part a transform shows: px of the whole picture that come to lie within the frame. */
function viewOf({ k, x, y }: ZoomTransform, { width, height, left, right, top, bottom }: Frame): View {
  if (k === 1) return { x: WHOLE, y: WHOLE };
  const low = ((left - x) / k - left) / (width - left - right);
  const high = 1 - ((top - y) / k - top) / (height - top - bottom);
  return { x: { low, high: low + 1 / k }, y: { low: high - 1 / k, high } };
}

/**
 * Ctrl and the wheel zoom, so does a pinch; dragging with the pointer or a finger moves what is zoomed; a double click shows
 * all again; the same with +, −, arrows and 0. The page itself still scrolls.
 */
export function useZoom(svg: RefObject<SVGSVGElement | null>, frame: Frame) {
  const [transform, setTransform] = useState<ZoomTransform>(zoomIdentity);
  const behaviour = useRef<ZoomBehavior<SVGSVGElement, unknown> | null>(null);
  const [moving, setMoving] = useState(false);
  const { width, height, left, right, top, bottom } = frame;
  useEffect(() => {
    const box = svg.current;
    if (!box) return;
    const within: [[number, number], [number, number]] = [
      [left, top],
      [width - right, height - bottom],
    ];
    const made = zoom<SVGSVGElement, unknown>()
      .scaleExtent([1, MOST])
      .extent(within)
      .translateExtent(within)
      .wheelDelta((event: WheelEvent) => -event.deltaY / (300 * Math.LN2))
      .filter((event: Event) => {
        if (event.type === "wheel") return (event as WheelEvent).ctrlKey;
        const near = box.getAttribute("data-zoomed") !== null;
        if (event.type === "touchstart") return near || (event as TouchEvent).touches.length > 1;
        return near && !(event as MouseEvent).button;
      })
      .on("start", (event: D3ZoomEvent<SVGSVGElement, unknown>) => setMoving(event.sourceEvent?.type === "mousedown"))
      .on("zoom", (event: D3ZoomEvent<SVGSVGElement, unknown>) => {
        box.toggleAttribute("data-zoomed", event.transform.k > 1);
        setTransform(event.transform.k > 1 ? event.transform : zoomIdentity);
      })
      .on("end", () => setMoving(false));
    behaviour.current = made;
    select(box).call(made).on("dblclick.zoom", null);
    return () => {
      select(box).on(".zoom", null);
    };
  }, [svg, width, height, left, right, top, bottom]);
  const view = useMemo(() => viewOf(transform, frame), [transform, frame]);
  const zoomed = transform.k > 1;
  const on = (act: (made: ZoomBehavior<SVGSVGElement, unknown>, box: SVGSVGElement) => void) => {
    if (behaviour.current && svg.current) act(behaviour.current, svg.current);
  };
  const whole = () => on((made, box) => made.transform(select(box), zoomIdentity));
  const press = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.altKey || event.metaKey) return;
    const move = zoomed && MOVES[event.key];
    const by = { "+": STEP, "=": STEP, "-": 1 / STEP, "0": 0 }[event.key];
    if (move) {
      const [x, y] = [
        (move[0] * (width - left - right)) / transform.k,
        (move[1] * (height - top - bottom)) / transform.k,
      ];
      on((made, box) => made.translateBy(select(box), x, y));
    } else if (by) on((made, box) => made.scaleBy(select(box), by));
    else if (by === 0) whole();
    else return;
    // The arrows of the view itself go to another measurement.
    event.preventDefault();
  };
  return { view, zoomed, moving, whole, press };
}
