import { ChakraProvider } from "@chakra-ui/react";
import { act, type ReactElement } from "react";
import { createRoot } from "react-dom/client";
import type { Axis, Chart, Series } from "../src/api/client";
import { system } from "../src/app/theme";

export const axis = (low: number, high: number, more: Partial<Axis> = {}): Axis => ({
  label: "",
  unit: "",
  low,
  high,
  decimals: 0,
  log: false,
  labels: [],
  ...more,
});

export const series = (name: string, points: Series["points"], more: Partial<Series> = {}): Series => ({
  name,
  role: "measured",
  points,
  setup: 0,
  marks: false,
  hues: [],
  labels: [],
  whisker: [],
  ...more,
});

export const chart = (more: Partial<Chart>): Chart => ({
  key: "c",
  kind: "lines",
  title: "Title",
  note: "",
  headline: "",
  x: axis(0, 100),
  y: axis(0, 100),
  series: [],
  table: { heads: [], decimals: [], rows: [] },
  bands: [],
  notes: [],
  marks: [],
  field: [],
  bare: false,
  aspect: null,
  table_open: false,
  ...more,
});

declare global {
  var IS_REACT_ACT_ENVIRONMENT: boolean;
}
globalThis.IS_REACT_ACT_ENVIRONMENT = true;
// This page has no matrices for points of SVG; where there are none, places are told by the box instead.
for (const [name, value] of Object.entries({ createSVGPoint: undefined, clientLeft: 0, clientTop: 0 }))
  Object.defineProperty(SVGSVGElement.prototype, name, { value, configurable: true });

/** A picture in a page. What React finds wrong with it, two marks of one key above all, fails the test. */
export function show(element: ReactElement) {
  const box = document.createElement("div");
  document.body.append(box);
  const said: string[] = [];
  const error = console.error;
  console.error = (...words: unknown[]) => said.push(words.join(" "));
  const root = createRoot(box);
  const draw = (next: ReactElement) => act(() => root.render(<ChakraProvider value={system}>{next}</ChakraProvider>));
  draw(element);
  const svg = () => box.querySelector("svg[role=img]") as SVGSVGElement;
  return {
    box,
    svg,
    draw,
    texts: () => [...svg().querySelectorAll("text")].map((t) => ({ text: t.textContent ?? "", ...placed(t) })),
    paths: () => [...svg().querySelectorAll("path")].map((p) => p.getAttribute("d") ?? ""),
    do: (event: Event) => act(() => void svg().dispatchEvent(event)),
    /** Something that happens beside the picture. */
    far: (event: Event) => act(() => void window.dispatchEvent(event)),
    close: () => {
      act(() => root.unmount());
      box.remove();
      console.error = error;
      return said;
    },
  };
}

const placed = (t: Element) => ({ x: Number(t.getAttribute("x")), y: Number(t.getAttribute("y")) });

/** The points of a path, as [x, y], one list for each piece that hangs together. */
export const pieces = (d: string): [number, number][][] =>
  d
    .split("M")
    .filter(Boolean)
    .map((piece) => [...piece.matchAll(/(-?[\d.]+)[ ,](-?[\d.]+)/g)].map(([, x, y]) => [Number(x), Number(y)]));
