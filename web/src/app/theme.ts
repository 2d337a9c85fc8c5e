import { createSystem, defaultConfig, defineConfig } from "@chakra-ui/react";
import {
  alertAnatomy,
  checkboxAnatomy,
  comboboxAnatomy,
  emptyStateAnatomy,
  nativeSelectAnatomy,
  numberInputAnatomy,
  progressAnatomy,
  switchAnatomy,
  tableAnatomy,
  tabsAnatomy,
} from "@chakra-ui/react/anatomy";

/** A semantic token with its daylight and its dim-room value. All neutrals have zero chroma, so nothing tints the eye. */
const pair = (day: string, dim: string) => ({ value: { base: day, _dark: dim } });

/** Who moves by keys sees where they are, on every control and in both themes. */
const RING = { focusVisibleRing: "outside", focusRingColor: "lamp", focusRingWidth: "2px" } as const;
/** What a person types in. */
const INPUT = {
  bg: "sheet",
  color: "ink",
  borderColor: "control",
  borderRadius: "5px",
  _invalid: { borderColor: "lamp", focusRingColor: "lamp" },
};

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
    /* On paper: the view alone, on white, as long as it is. */
    "header, footer, .no-print": { _print: { display: "none !important" } },
    "html, body, #root, #root > div, main, main > div": {
      _print: { height: "auto !important", overflow: "visible !important", display: "block !important", bg: "white" },
    },
    "main, main *": { _print: { color: "black !important", borderColor: "oklch(.75 0 0) !important" } },
    "div, nav, main, section": { scrollbarWidth: "thin" },
    "*": { _motionReduce: { transition: "none !important", animation: "none !important" } },
    ":focus-visible": { outline: "2px solid {colors.lamp}", outlineOffset: "1px" },
    "::selection": { bg: "lampSoft" },
    "input[type=checkbox], input[type=radio], input[type=range]": { accentColor: "{colors.lamp}" },
    "main:focus, main:focus-visible": { outline: "none" },
    // Where a person's own colours rule, pictures and swatches keep theirs, pictures with the ground they are drawn for, and
    // what is chosen has an outline.
    "svg, [role=img], [data-swatch] div": { "@media (forced-colors: active)": { forcedColorAdjust: "none" } },
    "svg, [role=img]": { "@media (forced-colors: active)": { background: "ground" } },
    // Signs within controls are no pictures: they are drawn in the person's colours.
    "[class^=chakra-checkbox] svg, [class*=__indicator] svg, [class*=__trigger] svg": {
      "@media (forced-colors: active)": { forcedColorAdjust: "auto", background: "none" },
    },
    "[class^=chakra-checkbox__control][data-state=checked], [class^=chakra-switch__control][data-state=checked]": {
      "@media (forced-colors: active)": { forcedColorAdjust: "none", background: "Highlight", color: "HighlightText" },
    },
    "[class^=chakra-switch__thumb]": {
      "@media (forced-colors: active)": { forcedColorAdjust: "none", background: "ButtonText" },
    },
    "[class^=chakra-switch__thumb][data-state=checked]": {
      "@media (forced-colors: active)": { background: "HighlightText" },
    },
    "[aria-selected=true]": {
      "@media (forced-colors: active)": { outline: "2px solid Highlight", outlineOffset: "-2px" },
    },
    "[aria-pressed=true], [aria-current=page]": {
      "@media (forced-colors: active)": { outline: "1px solid Highlight" },
    },
  },
  theme: {
    recipes: {
      /* `solid` is the one thing to do next, `outline` every other. */
      button: {
        base: { borderRadius: "5px", transitionProperty: "none", ...RING },
        variants: {
          variant: {
            solid: { bg: "lamp", color: "onLamp", fontWeight: "600", _hover: { bg: "lamp", opacity: 0.9 } },
            outline: {
              bg: "transparent",
              color: "ink",
              borderColor: "control",
              fontWeight: "450",
              _hover: { bg: "raised" },
              _expanded: { bg: "raised" },
            },
            plain: { color: "ink3", borderRadius: "4px", _hover: { color: "ink", bg: "raised" } },
          },
          size: {
            sm: { h: "30px", minW: "0", px: "11px", fontSize: "13px" },
            "2xs": { h: "24px", minW: "24px", px: "0", fontSize: "13px" },
          },
        },
        defaultVariants: { size: "sm" },
      },
      kbd: {
        base: {
          fontSize: "11px",
          borderRadius: "3px",
          px: "5px",
          lineHeight: "16px",
          h: "auto",
          verticalAlign: "baseline",
        },
        variants: { variant: { outline: { borderColor: "line", color: "ink2" } } },
        defaultVariants: { variant: "outline", size: "sm" },
      },
      input: {
        base: { ...RING, fontFamily: "mono" },
        variants: {
          variant: { outline: INPUT },
          size: {
            sm: { px: "8px", fontSize: "13px", lineHeight: "normal", "--input-height": "30px", minW: "0", w: "auto" },
          },
        },
        defaultVariants: { size: "sm" },
      },
      textarea: {
        base: { ...RING },
        variants: { variant: { outline: INPUT } },
      },
    },
    slotRecipes: {
      nativeSelect: {
        slots: nativeSelectAnatomy.keys(),
        base: { root: { width: "fit-content", maxW: "100%" }, indicator: { color: "ink3" } },
        variants: {
          variant: {
            outline: {
              field: {
                bg: "sheet",
                color: "ink",
                borderColor: "control",
                borderRadius: "5px",
                ...RING,
              },
            },
          },
          size: {
            sm: {
              root: { "--select-field-height": "30px" },
              field: { fontSize: "13px", ps: "8px", pe: "24px" },
              indicator: { fontSize: "13px", insetEnd: "6px" },
            },
          },
        },
        defaultVariants: { size: "sm" },
      },
      table: {
        slots: tableAnatomy.keys(),
        base: {
          root: { fontSize: "13px", w: "auto" },
          row: { bg: "transparent" },
          cell: { borderColor: "lineSoft", color: "ink" },
          columnHeader: { borderColor: "lineSoft", color: "ink3", fontSize: "12px", fontWeight: "500" },
        },
        variants: {
          variant: {
            line: {
              columnHeader: { borderColor: "lineSoft", borderBottomWidth: "1px" },
              cell: { borderColor: "lineSoft", borderBottomWidth: "1px" },
              row: { bg: "transparent" },
            },
          },
          size: {
            sm: {
              root: { textStyle: "none", fontSize: "13px" },
              columnHeader: { px: "0", pr: "18px", py: "5px" },
              cell: { px: "0", pr: "18px", py: "5px" },
            },
          },
        },
        defaultVariants: { size: "sm" },
      },
      alert: {
        slots: alertAnatomy.keys(),
        base: { root: { border: "1px solid", borderRadius: "5px", maxW: "760px" }, title: { fontWeight: "600" } },
        variants: {
          variant: { subtle: { root: { bg: "lampSoft", color: "ink", borderColor: "lamp" } } },
          size: { sm: { root: { px: "14px", py: "10px", fontSize: "13px" } } },
        },
        defaultVariants: { size: "sm" },
      },
      checkbox: {
        slots: checkboxAnatomy.keys(),
        base: {
          root: { gap: "7px", minH: "24px", cursor: "pointer", _disabled: { cursor: "default" } },
          control: { ...RING, cursor: "inherit" },
          label: { fontWeight: "400", userSelect: "auto" },
        },
        variants: {
          variant: {
            solid: {
              control: {
                borderColor: "control",
                bg: "sheet",
                "&:is([data-state=checked], [data-state=indeterminate])": {
                  bg: "lamp",
                  color: "onLamp",
                  borderColor: "lamp",
                },
                _focusVisible: { outline: "2px solid {colors.lamp}", outlineOffset: "1px" },
              },
            },
          },
          size: { sm: { root: { gap: "7px" }, control: { boxSize: "15px", p: "1px" }, label: { textStyle: "none" } } },
        },
        defaultVariants: { size: "sm", variant: "solid" },
      },
      switch: {
        slots: switchAnatomy.keys(),
        base: {
          root: { gap: "8px", minH: "24px", cursor: "pointer" },
          control: { cursor: "inherit", transition: "none" },
          thumb: { transition: "none" },
          label: { fontWeight: "400", userSelect: "auto" },
        },
        variants: {
          variant: {
            solid: {
              control: {
                bg: "line",
                borderWidth: "1px",
                borderColor: "control",
                _checked: { bg: "lamp", borderColor: "lamp" },
                _focusVisible: { outline: "2px solid {colors.lamp}", outlineOffset: "1px" },
              },
              thumb: { bg: "ink", _checked: { bg: "onLamp" } },
            },
          },
          size: { sm: { root: { "--switch-width": "28px", "--switch-height": "14px" }, label: { fontSize: "13px" } } },
        },
        defaultVariants: { size: "sm", variant: "solid" },
      },
      numberInput: {
        slots: numberInputAnatomy.keys(),
        base: { input: { fontFamily: "mono", ...RING } },
        variants: {
          variant: { outline: { input: INPUT } },
          size: { sm: { input: { px: "8px", h: "30px", fontSize: "13px" } } },
        },
        defaultVariants: { size: "sm" },
      },
      combobox: {
        slots: comboboxAnatomy.keys(),
        base: {
          input: { ...RING },
          trigger: { color: "ink3" },
          content: {
            bg: "raised",
            color: "ink",
            border: "1px solid",
            borderColor: "control",
            borderRadius: "6px",
            boxShadow: "none",
            p: "4px",
            maxH: "60vh",
            fontSize: "13px",
          },
          itemGroupLabel: { color: "ink3", fontSize: "11px", fontWeight: "400", px: "8px", py: "4px" },
          item: { px: "8px", minH: "26px", borderRadius: "4px", _highlighted: { bg: "lampSoft", color: "ink" } },
          empty: { color: "ink3", fontSize: "13px", px: "8px", py: "6px" },
        },
        variants: {
          variant: { outline: { input: INPUT } },
          size: { sm: { root: { "--combobox-input-height": "30px" }, input: { fontSize: "13px" } } },
        },
        defaultVariants: { size: "sm" },
      },
      emptyState: {
        slots: emptyStateAnatomy.keys(),
        base: {
          root: { minH: "160px", display: "flex", alignItems: "center", justifyContent: "center", color: "ink3" },
          content: { textAlign: "center" },
        },
        variants: { size: { md: { root: { px: "24px", py: "0" }, content: { gap: "12px" } } } },
      },
      progress: {
        slots: progressAnatomy.keys(),
        base: { track: { bg: "lineSoft", borderRadius: "0" }, range: { bg: "lamp" } },
        variants: { size: { xs: { track: { h: "3px" } } } },
        defaultVariants: { size: "xs" },
      },
      tabs: {
        slots: tabsAnatomy.keys(),
        variants: {
          variant: {
            line: {
              trigger: { color: "ink2", _selected: { color: "ink" } },
              list: { borderColor: "lineSoft" },
            },
          },
          size: { sm: { trigger: { py: "1.5", px: "2.5", fontSize: "13px", minH: "30px" } } },
        },
        defaultVariants: { size: "sm" },
      },
    },
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
