import { describe, expect, it } from "vitest";
import { cross, DOT, line, marks, number, signed, spread, ticks } from "../src/pictures/common";
import { csv } from "../src/pictures/save";
import { axis, chart } from "./charts";

/** Numbers that are the same in every run. */
function* chance(seed: number): Generator<number, never> {
  let state = seed;
  for (;;) {
    state = (state * 1664525 + 1013904223) % 2 ** 32;
    yield state / 2 ** 32;
  }
}

describe("numbers", () => {
  it("have a true minus sign, and none at zero", () => {
    expect(number(-1.26, 1)).toBe("−1.3");
    expect(number(-0.004, 2)).toBe("0.00");
    expect(number(-0.006, 2)).toBe("−0.01");
    expect(number(null, 2)).toBe("–");
    expect(signed(0.25, 2)).toBe("+0.25");
    expect(signed(-3)).toBe("−3.0");
  });
});

describe("ticks", () => {
  it("are round, within the axis, evenly spaced and no more than seven, whatever the span", () => {
    const random = chance(1);
    for (let i = 0; i < 500; i++) {
      const low = (random.next().value - 0.5) * 10 ** Math.floor(random.next().value * 8 - 3);
      const span = 10 ** (random.next().value * 8 - 4);
      const found = ticks(axis(low, low + span), { low, high: low + span });
      const step = (found[1]?.at ?? 0) - (found[0]?.at ?? 0);
      expect(found.length).toBeGreaterThanOrEqual(2);
      expect(found.length).toBeLessThanOrEqual(7);
      expect(["1.00", "2.00", "5.00"], `${low} ${span}`).toContain(step.toExponential(2).split("e")[0]);
      for (const [k, { at, text }] of found.entries()) {
        expect(at).toBeGreaterThanOrEqual(low - 1e-6 * span);
        expect(at).toBeLessThanOrEqual(low + span + 1e-6 * span);
        // What is written is what is meant: no digit that matters is cut off.
        expect(Math.abs(Number(text.replace("−", "-")) - at)).toBeLessThan(1e-6 * step);
        if (k) expect(at - (found[k - 1]?.at ?? 0)).toBeCloseTo(step, 9);
      }
    }
  });
  it("are decades on a logarithmic axis, and finer ones where it is zoomed", () => {
    const area = axis(0, 2, { log: true });
    expect(ticks(area, { low: 0, high: 2 }).map((t) => t.text)).toEqual(["1", "10", "100"]);
    expect(ticks(area, { low: 0.2, high: 1.1 }).map((t) => t.text)).toEqual(["2", "5", "10"]);
    expect(ticks(axis(-3, 0, { log: true }), { low: -3, high: -1.2 }).map((t) => t.text)).toEqual(["0.001", "0.01"]);
  });
  it("are the names of an axis that has any", () => {
    const level = axis(0, 2, { labels: ["white", "grey", "dark"] });
    expect(ticks(level, { low: 0.5, high: 2 })).toEqual([
      { at: 1, text: "grey" },
      { at: 2, text: "dark" },
    ]);
  });
});

describe("labels", () => {
  it("are spread so that none lies on another, in their order, within the limits, and moved only where they must", () => {
    const random = chance(2);
    for (let i = 0; i < 300; i++) {
      const wanted = Array.from(
        { length: 1 + Math.floor(random.next().value * 10) },
        () => 20 + random.next().value * 140,
      );
      const at = spread(wanted, 13, 12, 182);
      const order = wanted.map((_, k) => k).sort((a, b) => (wanted[a] ?? 0) - (wanted[b] ?? 0));
      const sorted = order.map((k) => at[k] ?? Number.NaN);
      for (const [k, y] of sorted.entries()) {
        expect(y).toBeGreaterThanOrEqual(12 - 1e-9);
        expect(y).toBeLessThanOrEqual(182 + 1e-9);
        if (k) expect(y - (sorted[k - 1] ?? 0)).toBeGreaterThanOrEqual(13 - 1e-9);
      }
    }
    expect(spread([40, 100, 70], 13, 0, 200)).toEqual([40, 100, 70]);
    expect(spread([100, 101], 13, 0, 108)).toEqual([95, 108]);
  });
});

describe("paths", () => {
  const x = (v: number) => 10 * v;
  const y = (v: number) => 100 - v;
  it("break where a value is missing", () => {
    expect(
      line(
        [
          [0, 1],
          [1, 2],
          [2, null],
          [3, 4],
          [4, 5],
        ],
        x,
        y,
      ),
    ).toBe("M0,99L10,98M30,96L40,95");
    expect(
      line(
        [
          [null, null],
          [1, 2],
        ],
        x,
        y,
      ),
    ).toBe("M10,98Z");
    expect(line([], x, y)).toBe("");
  });
  it("carry any number of marks", () => {
    expect(
      marks(
        [
          [0, 1],
          [1, null],
          [2, 3],
        ],
        x,
        y,
        DOT,
      ),
    ).toBe("M0.0 99.0h0M20.0 97.0h0");
    expect(marks([[1, 1]], x, y, cross(4))).toBe("M10.0 99.0m-4 0h8m-4 -4v8");
  });
});

describe("a table taken away", () => {
  it("has raw values, a point as decimal mark, empty cells for what is missing, and quotes where they are needed", () => {
    const table = {
      heads: ["Patch", "dE2000, Lively", 'so-called "black"'],
      decimals: [null, 1, 1],
      rows: [
        ["H30 L60, C40", 1.23456789, null],
        ["two\nlines", -0.5, 0],
      ],
    };
    expect(csv(chart({ table }))).toBe(
      'Patch,"dE2000, Lively","so-called ""black"""\r\n"H30 L60, C40",1.23456789,\r\n"two\nlines",-0.5,0',
    );
  });
});
