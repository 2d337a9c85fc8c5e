import { type KeyboardEvent, type PointerEvent, type RefObject, useEffect, useRef, useState } from "react";
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

/** A span drawn together about the part of it that stays where it is, within the whole. */
function closer(span: Span, by: number, about: number): Span {
  const size = Math.min(1, Math.max(1 / MOST, (span.high - span.low) / by));
  const fixed = span.low + about * (span.high - span.low);
  return shifted({ low: fixed - about * size, high: fixed + (1 - about) * size }, 0);
}

function shifted(span: Span, by: number): Span {
  const size = span.high - span.low;
  const low = Math.min(1 - size, Math.max(0, span.low + by));
  return size >= 1 ? WHOLE : { low, high: low + size };
}

const STEP = 1.5;
/** By key: how far the picture moves, in parts of what is shown. */
const MOVES: Record<string, [number, number]> = {
  ArrowLeft: [-0.15, 0],
  ArrowRight: [0.15, 0],
  ArrowDown: [0, -0.15],
  ArrowUp: [0, 0.15],
};

/** Ctrl and the wheel zoom, dragging moves, a double click shows all again; the same with +, −, arrows and 0. The page
    itself still scrolls. */
export function useZoom(svg: RefObject<SVGSVGElement | null>, { width, height, left, right, top, bottom }: Frame) {
  const [view, setView] = useState<View>({ x: WHOLE, y: WHOLE });
  const from = useRef<{ x: number; y: number; view: View } | null>(null);
  const w = width - left - right;
  const h = height - top - bottom;
  useEffect(() => {
    const box = svg.current;
    if (!box) return;
    const wheel = (event: WheelEvent) => {
      if (!event.ctrlKey) return;
      event.preventDefault();
      const place = box.getBoundingClientRect();
      const by = Math.exp(-event.deltaY / 300);
      const inside = (v: number) => Math.min(1, Math.max(0, v));
      const ax = inside((event.clientX - place.left - left) / w);
      const ay = inside(1 - (event.clientY - place.top - top) / h);
      setView((v) => ({ x: closer(v.x, by, ax), y: closer(v.y, by, ay) }));
    };
    box.addEventListener("wheel", wheel, { passive: false });
    return () => box.removeEventListener("wheel", wheel);
  }, [svg, left, top, w, h]);
  const zoomed = view.x !== WHOLE || view.y !== WHOLE;
  const whole = () => setView({ x: WHOLE, y: WHOLE });
  const drop = () => {
    from.current = null;
  };
  const drag = (event: PointerEvent) => {
    if (!from.current) return false;
    const { x, y, view: start } = from.current;
    setView({
      x: shifted(start.x, ((x - event.clientX) / w) * (start.x.high - start.x.low)),
      y: shifted(start.y, ((event.clientY - y) / h) * (start.y.high - start.y.low)),
    });
    return true;
  };
  const take = (event: PointerEvent) => {
    if (!zoomed) return;
    from.current = { x: event.clientX, y: event.clientY, view };
    event.currentTarget.setPointerCapture(event.pointerId);
  };
  const press = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.altKey || event.metaKey) return;
    const move = zoomed && MOVES[event.key];
    const by = { "+": STEP, "=": STEP, "-": 1 / STEP, "0": 0 }[event.key];
    if (move) {
      setView((v) => ({
        x: shifted(v.x, move[0] * (v.x.high - v.x.low)),
        y: shifted(v.y, move[1] * (v.y.high - v.y.low)),
      }));
    } else if (by) setView((v) => ({ x: closer(v.x, by, 0.5), y: closer(v.y, by, 0.5) }));
    else if (by === 0) whole();
    else return;
    // The arrows of the view itself go to another measurement.
    event.preventDefault();
  };
  return { view, zoomed, whole, take, drag, drop, press };
}
