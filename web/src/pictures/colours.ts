import { useMode } from "../app/mode";

const TOKENS = [
  "ground",
  "sheet",
  "raised",
  "line",
  "lineSoft",
  "ink",
  "ink2",
  "ink3",
  "lamp",
  "plotBand",
  "chRed",
  "chGreen",
  "chBlue",
  "chCyan",
  "chMagenta",
  "chYellow",
  "setup1",
  "setup2",
  "setup3",
] as const;
type Token = (typeof TOKENS)[number];
export type Colours = Record<Token, string>;

/** A CSS colour as #rrggbb: a saved picture is opened by programs that know no other. */
function hex(css: string, context: CanvasRenderingContext2D): string {
  context.clearRect(0, 0, 1, 1);
  context.fillStyle = css;
  context.fillRect(0, 0, 1, 1);
  const [r = 0, g = 0, b = 0] = context.getImageData(0, 0, 1, 1).data;
  return `#${[r, g, b].map((v) => v.toString(16).padStart(2, "0")).join("")}`;
}

const found = new Map<string, Colours>();

function resolve(mode: string): Colours {
  const canvas = document.createElement("canvas");
  canvas.width = canvas.height = 1;
  const context = canvas.getContext("2d", { willReadFrequently: true });
  const probe = document.createElement("i");
  document.body.append(probe);
  // The theme's class changes in an effect after this render, so the probe wears it itself.
  probe.className = mode === "dim" ? "dark" : "light";
  const pairs = TOKENS.map((token) => {
    probe.style.color = `var(--chakra-colors-${token.replace(/[A-Z]/g, (c) => `-${c.toLowerCase()}`)})`;
    return [token, context ? hex(getComputedStyle(probe).color, context) : "#888888"] as const;
  });
  probe.remove();
  return Object.fromEntries(pairs) as Colours;
}

/** The present theme's tokens as chart colours. */
export function useColours(): Colours {
  const { mode } = useMode();
  const colours = found.get(mode) ?? resolve(mode);
  found.set(mode, colours);
  return colours;
}

/** Setups are told apart by line style and label first, then by colour. */
export const setupColour = (colours: Colours, setup: number) =>
  [colours.ink, colours.setup1, colours.setup2, colours.setup3][setup] ?? colours.ink;

export function hueColour(colours: Colours, hue: string): string {
  const map: Record<string, string> = {
    red: colours.chRed,
    green: colours.chGreen,
    blue: colours.chBlue,
    cyan: colours.chCyan,
    magenta: colours.chMagenta,
    yellow: colours.chYellow,
    white: colours.ink,
  };
  return map[hue] ?? colours.ink;
}
