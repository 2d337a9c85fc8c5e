import { ChakraProvider } from "@chakra-ui/react";
import { act, Profiler, type ReactElement } from "react";
import { createRoot } from "react-dom/client";
import { describe, expect, it, vi } from "vitest";
import type { BenchStatus, BoardCell, BoardFigure } from "../src/api/client";
import { ApiError } from "../src/api/client";
import { answered, further } from "../src/api/progress";
import { type Acts, BACK, EVERYWHERE, RUN } from "../src/app/keymap";
import { setLetters, useKeys, uses } from "../src/app/keys";
import { system } from "../src/app/theme";
import { VIEWS } from "../src/app/views";
import { ProblemNote } from "../src/kit/basics";
import { NotchedRule } from "../src/kit/NotchedRule";
import { duration, luminance } from "../src/views/bench/BenchBar";
import { milestone } from "../src/views/bench/Milestones";
import { Cell, cellLabel } from "../src/views/board/BoardCell";
import type { Block } from "../src/views/board/blocks";
import { BOARD_KEYS } from "../src/views/board/keys";
import "./charts";

function put(element: ReactElement) {
  const box = document.createElement("div");
  document.body.append(box);
  const root = createRoot(box);
  act(() => root.render(<ChakraProvider value={system}>{element}</ChakraProvider>));
  return { box, leave: () => act(() => root.unmount()) };
}

const dash = (line: Element | null | undefined) => (line ? (line.getAttribute("stroke-dasharray") ?? "") : null);

/** A cell of the Board by itself. */
const OneCell = ({ setup = 1, block, cell }: { setup?: number; block: Block; cell: BoardCell }) => (
  <Cell
    setup={setup}
    name={`Mode ${setup}`}
    block={block}
    cell={cell}
    row={0}
    column={0}
    edge={false}
    selected={false}
    here={false}
    focus={false}
    onClick={() => {}}
    onCursor={() => {}}
  />
);

describe("what is said of numbers", () => {
  it("has three digits of luminance, whatever its size", () => {
    expect([0.0023456, 1.2, 99.96, 173.4, 4321].map(luminance)).toEqual([
      "0.00235",
      "1.20",
      "100",
      "173",
      "4\u2009321",
    ]);
  });
  it("tells time as people do", () => {
    const said = [0.2, 1, 59.4, 60, 61, 3599, 3600, 17_711].map(duration);
    expect(said).toEqual([
      "under 1 s",
      "1 s",
      "59 s",
      "1 min 0 s",
      "1 min 1 s",
      "59 min 59 s",
      "1 h 0 min",
      "4 h 55 min",
    ]);
  });
  it("never comes to sixty seconds or minutes", () => {
    for (let s = 1; s < 20_000; s += 0.7) expect(duration(s)).not.toMatch(/\b60 (s|min)/);
  });
});

describe("the notched rule", () => {
  const parts = (element: ReactElement) => {
    const { box, leave } = put(element);
    const [line, ...rects] = [...box.querySelectorAll("line, rect")];
    const found = {
      label: box.querySelector("svg")?.getAttribute("aria-label"),
      dash: dash(line),
      rects: rects.map((r) => [Number(r.getAttribute("x")), Number(r.getAttribute("width"))]),
    };
    leave();
    return found;
  };
  it("has its notch at the points and its band over their interval", () => {
    const { rects, label } = parts(<NotchedRule points={50} low={40} high={70} width={103} />);
    expect(label).toBe("50 of 100 points");
    expect(rects).toEqual([
      [40.5, 32],
      [50.25, 2.5],
    ]);
  });
  it("stays within its width at either end", () => {
    for (const points of [0, 100]) {
      const [, notch = [Number.NaN, 0]] = parts(<NotchedRule points={points} width={40} />).rects;
      expect(notch[0]).toBeGreaterThanOrEqual(0);
      expect((notch[0] ?? 0) + (notch[1] ?? 0)).toBeLessThanOrEqual(40);
    }
  });
  it("is dotted without a measurement and dashed where it no longer holds", () => {
    expect(parts(<NotchedRule points={null} />)).toEqual({ label: "no points", dash: "1 3", rects: [] });
    expect(parts(<NotchedRule points={80} stale />).dash).toBe("4 3");
    expect(parts(<NotchedRule points={80} />).dash).toBe("");
  });
});

describe("a cell of the Board", () => {
  const figure = (more: Partial<BoardFigure>): BoardFigure =>
    ({ figure: "de2000_mean", text: "1.6", raw: 1.5738, uncertainty: 0.1634, points: 86.4, ...more }) as BoardFigure;
  const cell = (more: Partial<BoardCell>): BoardCell =>
    ({ measurement: "grey_ramp", state: "measured", done: 0, total: 0, figures: [], note: "", ...more }) as BoardCell;
  const block = { columns: [{ figure: "de2000_mean" }, { figure: "gamma" }] } as unknown as Block;
  const drawn = (c: BoardCell) => {
    const { box, leave } = put(<OneCell block={block} cell={c} />);
    const found = {
      text: box.textContent,
      title: box.querySelector("[title]")?.getAttribute("title"),
      rules: [...box.querySelectorAll("svg")].map((s) => s.getAttribute("aria-label")),
      dashed: dash(box.querySelector("line")),
    };
    leave();
    return found;
  };
  it("shows figures with their points, the raw value and its uncertainty on hover", () => {
    const found = drawn(cell({ figures: [figure({}), figure({ figure: "gamma", text: "2.24", points: null })] }));
    expect(found.text).toBe("1.62.24");
    expect(found.title).toBe("1.5738 ± 0.16 · 86 points");
    expect(found.rules, "what is not judged has no rule").toEqual(["86 of 100 points"]);
  });
  it("counts what is being read, waits, and is dotted before anything was", () => {
    expect(drawn(cell({ state: "measuring", done: 12, total: 21 })).text).toBe("12/21");
    expect(drawn(cell({ state: "queued", total: 21 })).text).toBe("queued");
    expect(drawn(cell({ state: "partial", done: 4, total: 21 })).text).toBe("4/21·");
    expect(drawn(cell({ state: "unmeasured" }))).toMatchObject({ text: "··", rules: ["no points", "no points"] });
  });
  it("keeps its figures while they are read again, and marks those that no longer hold or are in doubt", () => {
    const figures = [figure({})];
    expect(drawn(cell({ state: "measuring", done: 1, total: 21, figures })).text).toBe("1.6·");
    expect(drawn(cell({ state: "stale", figures })).dashed).toBe("4 3");
    expect(drawn(cell({ figures, note: "without a correction", marked: true })).text).toBe("1.6!·");
    expect(drawn(cell({ figures, note: "without a correction" })).title).toContain("without a correction");
    expect(drawn(cell({ figures, note: "warmed up" })).text).toBe("1.6·");
  });
});

describe("keys", () => {
  const press = (target: EventTarget, key: string, more: KeyboardEventInit = {}) => {
    const event = new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true, ...more });
    act(() => void target.dispatchEvent(event));
    return event.defaultPrevented;
  };
  const idle = Object.fromEntries(Object.keys(BOARD_KEYS.keys).map((k) => [k, () => undefined]));
  function View({ act: acted, active }: { act: (key: string) => void; active: boolean }) {
    const named = { measure: () => acted("m"), full: () => acted("2"), open: () => acted("Enter") };
    const acts = { ...idle, ...named, back: () => acted("Escape") } as unknown as Acts<typeof BOARD_KEYS.keys>;
    useKeys(BOARD_KEYS, acts, active);
    return (
      <>
        <input aria-label="filter" />
        <input type="range" aria-label="slider" />
        <select aria-label="target" />
        <button type="button" aria-label="done" />
        <a aria-label="Shelf" href="/shelf">
          Shelf
        </a>
        {/* biome-ignore lint/a11y/useSemanticElements: a cell of a grid is focusable */}
        <div role="gridcell" aria-label="cell" tabIndex={0} />
      </>
    );
  }
  const at = (box: Element, label: string) => box.querySelector(`[aria-label=${label}]`) as Element;

  it("act anywhere but where somebody types, holds another key or answers a dialog", () => {
    const acted = vi.fn();
    const { box, leave } = put(<View act={acted} active />);
    expect(press(document.body, "m")).toBe(true);
    expect(press(at(box, "slider"), "m"), "a slider takes no letters").toBe(true);
    expect(acted).toHaveBeenCalledTimes(2);
    for (const label of ["filter", "target"]) expect(press(at(box, label), "m")).toBe(false);
    for (const held of ["ctrlKey", "altKey", "metaKey"])
      expect(press(document.body, "m", { [held]: true })).toBe(false);
    expect(press(document.body, "q")).toBe(false);
    expect(acted).toHaveBeenCalledTimes(2);
    expect(press(at(box, "filter"), "Escape"), "there is a way out of a field").toBe(true);
    const dialog = document.createElement("dialog");
    dialog.setAttribute("open", "");
    document.body.append(dialog);
    expect(press(document.body, "Escape")).toBe(false);
    dialog.remove();
    leave();
    expect(press(document.body, "m"), "a view that is left").toBe(false);
    expect(acted).toHaveBeenCalledTimes(3);
  });
  it("are never taken from what uses them itself", () => {
    const acted = vi.fn();
    const { box, leave } = put(<View act={acted} active />);
    for (const label of ["done", "Shelf"]) expect(press(at(box, label), "Enter"), label).toBe(false);
    expect(press(at(box, "cell"), "Enter")).toBe(true);
    expect(acted).toHaveBeenCalledExactlyOnceWith("Enter");
    expect(press(at(box, "done"), "m"), "a button takes no letters").toBe(true);
    expect(press(at(box, "target"), "2"), "a list is typed into").toBe(false);
    expect(uses(at(box, "done"), " ")).toBe(true);
    expect(uses(at(box, "slider"), "ArrowLeft")).toBe(true);
    expect(uses(at(box, "cell"), " ")).toBe(false);
    leave();
  });
  it("leave a list by Escape without leaving the view", () => {
    const acted = vi.fn();
    const { box, leave } = put(<View act={acted} active />);
    const list = at(box, "target") as HTMLSelectElement;
    list.focus();
    expect(press(list, "Escape")).toBe(true);
    expect(acted).not.toHaveBeenCalled();
    expect(document.activeElement).not.toBe(list);
    leave();
  });
  it("that print a character can be switched off", () => {
    const acted = vi.fn();
    const { box, leave } = put(<View act={acted} active />);
    setLetters(false);
    expect(press(document.body, "m")).toBe(false);
    expect(press(document.body, "2")).toBe(false);
    expect(press(at(box, "cell"), "Enter"), "others stay").toBe(true);
    setLetters(true);
    expect(press(document.body, "m")).toBe(true);
    leave();
  });
  it("rest where the view says so", () => {
    const acted = vi.fn();
    const { leave } = put(<View act={acted} active={false} />);
    expect(press(document.body, "m")).toBe(false);
    leave();
  });
  it("mean one thing at each place", () => {
    const groups = [EVERYWHERE, RUN, BACK, ...VIEWS.flatMap((v) => v.keys)];
    for (const { where, keys } of groups) {
      const named = Object.values(keys).map(([key]) => key);
      expect(new Set(named).size, where).toBe(named.length);
      // What acts everywhere is not taken by a view.
      if (where !== EVERYWHERE.where)
        for (const [key] of Object.values(EVERYWHERE.keys)) expect(named, where).not.toContain(key);
    }
    expect(new Set(groups.map((g) => g.where)).size).toBe(groups.length);
  });
});

describe("a Board that is told of progress", () => {
  const columns = [{ figure: "coverage", head: "sRGB", unit: "%" }] as Block["columns"];
  const block = { measurement: "gamut", title: "Gamut", group: "Colour", columns };
  const cell = {
    measurement: "gamut",
    state: "queued",
    done: 0,
    total: 9,
    figures: [],
    note: "",
    marked: false,
  } as BoardCell;
  const drawn = new Map<number, number>();
  /** Two cells of the Board, and how often each was drawn. */
  function Cells() {
    return [1, 2].map((setup) => (
      <Profiler key={setup} id={String(setup)} onRender={() => drawn.set(setup, (drawn.get(setup) ?? 0) + 1)}>
        <OneCell setup={setup} block={block} cell={cell} />
      </Profiler>
    ));
  }
  it("draws the cell that grew and no other, until a newer answer says it", async () => {
    const place = document.createElement("tr");
    const root = createRoot(place);
    await act(() => root.render(<Cells />));
    const state = () => [...place.querySelectorAll("td")].map((td) => [td.dataset.state, td.textContent]);
    const before = new Map(drawn);
    await act(() => further(7, 2, "gamut", { done: 3, total: 9 }));
    expect(state()).toEqual([
      ["queued", "queued"],
      ["measuring", "3/9"],
    ]);
    expect(drawn.get(1)).toBe(before.get(1));
    await act(() => further(7, 2, "grey_ramp", { done: 3, total: 9 }));
    await act(() => answered(8));
    expect(state()[1]).toEqual(["measuring", "3/9"]);
    await act(() => answered(7));
    expect(state()[1]).toEqual(["queued", "queued"]);
    await act(() => root.unmount());
  });
});

describe("milestones", () => {
  const status = (more: object) =>
    ({
      kind: "run",
      run: 1,
      state: "running",
      review_name: "Fen",
      done: 0,
      total: 100,
      message: "",
      ...more,
    }) as BenchStatus;
  it("are a run's start, quarters, rests and end, and nothing between", () => {
    expect(milestone(status({ kind: "", run: null }), status({}))).toContain("100 readings");
    expect(milestone(status({ done: 3 }), status({ done: 4 }))).toBeNull();
    expect(milestone(status({ done: 24 }), status({ done: 25 }))).toBe("25 of 100 readings.");
    expect(milestone(status({ done: 30 }), status({ done: 30, state: "paused", message: "Plug it in." }))).toBe(
      "Plug it in.",
    );
    expect(milestone(status({ done: 99 }), status({ kind: "", run: null }))).toContain("has ended");
  });
});

describe("a cell's name", () => {
  it("has its figures with units and points", () => {
    const columns = [{ figure: "contrast", head: "Contrast", unit: ": 1" }] as Block["columns"];
    const own = { measurement: "w", title: "White", group: "Light", columns };
    const figure = { figure: "contrast", text: "≥ 41 000", raw: 41_000, points: 97.2 } as BoardFigure;
    const label = cellLabel("Studio", own, {
      state: "measured",
      figures: [figure],
      note: "cold",
    } as unknown as BoardCell);
    expect(label).toBe("White of Studio: measured; Contrast at least 41 000 : 1, 97 points; cold");
  });
});

describe("a problem", () => {
  it("is told in the service's words", () => {
    const problem = {
      type: "urn:lumenar:bench",
      title: "Not now",
      status: 409,
      detail: "The bench is in use.",
      place: null,
    };
    const { box, leave } = put(<ProblemNote error={new ApiError(problem)} />);
    expect(box.querySelector("[role=alert]")?.textContent).toBe("Not nowThe bench is in use.");
    leave();
    const other = put(<ProblemNote error={new TypeError("no connection")} />);
    expect(other.box.textContent).toBe("ErrorTypeError: no connection");
    other.leave();
  });
});
