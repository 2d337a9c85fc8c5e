import { createSystem, defaultConfig, defineConfig } from "@chakra-ui/react";

/** A semantic token with its daylight and its dim-room value. All neutrals have zero chroma, so nothing tints the eye. */
const pair = (day: string, dim: string) => ({ value: { base: day, _dark: dim } });

const config = defineConfig({
  globalCss: {
    html: {
      "--global-font-mono": "fonts.mono",
      "--global-font-body": "fonts.body",
      "--global-color-border": "colors.border",
      colorPalette: "gray",
      scrollbarColor: "{colors.line} transparent",
    },
    "html, body": { bg: "ground", color: "ink", fontSize: "13px", lineHeight: 1.35, height: "100%" },
    "#root": { height: "100%" },
    "div, nav, main, section": { scrollbarWidth: "thin" },
    "*": { _motionReduce: { transition: "none !important", animation: "none !important" } },
    ":focus-visible": { outline: "2px solid {colors.lamp}", outlineOffset: "1px" },
    "::selection": { bg: "lampSoft" },
    "main:focus, main:focus-visible": { outline: "none" },
    // Where a person's own colours rule, pictures and swatches keep theirs, pictures with the ground they are drawn for, and
    // what is chosen has an outline.
    "svg, [role=img], [data-swatch] div": { "@media (forced-colors: active)": { forcedColorAdjust: "none" } },
    "svg, [role=img]": { "@media (forced-colors: active)": { background: "ground" } },
    "[aria-selected=true]": {
      "@media (forced-colors: active)": { outline: "2px solid Highlight", outlineOffset: "-2px" },
    },
    "[aria-pressed=true], [aria-current=page]": {
      "@media (forced-colors: active)": { outline: "1px solid Highlight" },
    },
  },
  theme: {
    tokens: {
      fonts: {
        body: { value: '"Instrument Sans Variable", sans-serif' },
        heading: { value: '"Instrument Sans Variable", sans-serif' },
        mono: { value: '"Spline Sans Mono", monospace' },
      },
    },
    semanticTokens: {
      colors: {
        ground: pair("oklch(.955 0 0)", "oklch(.17 0 0)"),
        sheet: pair("oklch(.985 0 0)", "oklch(.205 0 0)"),
        raised: pair("oklch(1 0 0)", "oklch(.245 0 0)"),
        line: pair("oklch(.82 0 0)", "oklch(.32 0 0)"),
        lineSoft: pair("oklch(.90 0 0)", "oklch(.255 0 0)"),
        control: pair("oklch(.57 0 0)", "oklch(.53 0 0)"),
        ink: pair("oklch(.22 0 0)", "oklch(.90 0 0)"),
        ink2: pair("oklch(.42 0 0)", "oklch(.72 0 0)"),
        ink3: pair("oklch(.46 0 0)", "oklch(.68 0 0)"),
        lamp: pair("oklch(.49 .12 65)", "oklch(.80 .13 80)"),
        lampSoft: pair("oklch(.58 .13 70 / .14)", "oklch(.80 .13 80 / .15)"),
        onLamp: pair("oklch(.99 0 0)", "oklch(.18 0 0)"),
        plotBand: pair("oklch(.92 0 0)", "oklch(.27 0 0)"),
        chRed: pair("oklch(.51 .19 27)", "oklch(.66 .19 25)"),
        chGreen: pair("oklch(.49 .13 150)", "oklch(.72 .17 148)"),
        chBlue: pair("oklch(.50 .19 264)", "oklch(.64 .16 262)"),
        chCyan: pair("oklch(.49 .085 205)", "oklch(.74 .11 205)"),
        chMagenta: pair("oklch(.50 .21 330)", "oklch(.66 .20 330)"),
        chYellow: pair("oklch(.49 .10 100)", "oklch(.82 .14 100)"),
        /* Setups after the first: Okabe-Ito hues at a luminance for the theme. */
        setup1: pair("oklch(.49 .12 240)", "oklch(.76 .11 230)"),
        setup2: pair("oklch(.49 .13 45)", "oklch(.74 .14 60)"),
        setup3: pair("oklch(.50 .11 165)", "oklch(.72 .12 165)"),
      },
    },
  },
});

/* The defaults give every element thirty variables, each mark of a chart too: its style takes longer than its drawing.
   None of them is used here but those that stand on html above. */
export const system = createSystem({ ...defaultConfig, globalCss: {} }, config);
