import { describe, expect, it, vi } from "vitest";
import type { Chart } from "../src/api/client";
import { Anatomy } from "../src/pictures/anatomy/Anatomy";
import { ChartPanel } from "../src/pictures/ChartPanel";
import { Drawing } from "../src/pictures/drawing/Drawing";
import { Lines } from "../src/pictures/lines/Lines";
import { Plane } from "../src/pictures/plane/Plane";
import { RuleList } from "../src/pictures/rules/RuleList";
import { svgText } from "../src/pictures/save";
import { Span } from "../src/pictures/span/Span";
import { axis, chart, pieces, series, show } from "./charts";

// Here no style sheet is applied: a colour is its token's name.
vi.mock("../src/pictures/colours", async (original) => ({
  ...(await original<object>()),
  useColours: () => new Proxy({}, { get: (_, token) => String(token) }),
}));

const levels = [0, 25, 50, 75, 100];
const curve = (f: (v: number) => number | null) => levels.map((v): [number, number | null] => [v, f(v)]);

/** A grey ramp's channels with another setup over it: three curves of one name, told apart by role. */
const balance = chart({
  y: axis(80, 120),
  series: [
    ...(["red", "green", "blue"] as const).map((role, i) =>
      series(
        role,
        curve(() => 99 + i),
        { role },
      ),
    ),
    ...(["red", "green", "blue"] as const).map((role, i) =>
      series(
        "Lively",
        curve(() => 90 + 10 * i),
        { role, setup: 1 },
      ),
    ),
  ],
});

const pointer = (kind: string, x: number, y: number, more: PointerEventInit = {}) =>
  new PointerEvent(kind, { bubbles: true, clientX: x, clientY: y, pointerId: 1, ...more });
const wheel = (deltaY: number, clientX: number, clientY: number, ctrlKey = true) =>
  Object.assign(new Event("wheel", { bubbles: true, cancelable: true }), { deltaY, ctrlKey, clientX, clientY });
const mouse = (kind: string, clientX: number) =>
  new MouseEvent(kind, { bubbles: true, cancelable: true, clientX, clientY: 100, view: window } as MouseEventInit);
const key = (name: string) => new KeyboardEvent("keydown", { key: name, bubbles: true, cancelable: true });

describe("curves", () => {
  it("are drawn within their axes, one for each series, broken where nothing was read", () => {
    const shown = chart({
      series: [
        series(
          "Studio",
          curve((v) => v),
        ),
        series(
          "sRGB",
          curve((v) => (v === 50 ? null : v)),
          { role: "target" },
        ),
      ],
    });
    const picture = show(<Lines chart={shown} height={210} width={600} />);
    const [whole, broken] = picture.paths().slice(1).map(pieces);
    expect(whole).toHaveLength(1);
    expect(whole?.[0]).toHaveLength(5);
    expect(broken?.map((p) => p.length)).toEqual([2, 2]);
    const [first, last] = [whole?.[0]?.[0] ?? [0, 0], whole?.[0]?.[4] ?? [0, 0]];
    expect(first[0]).toBe(46);
    expect(first[1]).toBe(210 - 26);
    expect(last[0]).toBeGreaterThan(450);
    expect(last[1]).toBe(18);
    expect(picture.close()).toEqual([]);
  });

  it("bear their names at their ends, none over another, however many there are", () => {
    const picture = show(<Lines chart={balance} height={210} width={600} />);
    const names = picture.texts().filter((t) => /red|green|blue|Lively/.test(t.text));
    expect(names.map((n) => n.text).sort()).toEqual(["Lively", "Lively", "Lively", "blue", "green", "red"]);
    const heights = names.map((n) => n.y).sort((a, b) => a - b);
    for (const [i, y] of heights.entries()) if (i) expect(y - (heights[i - 1] ?? 0)).toBeGreaterThanOrEqual(12.9);
    expect(picture.close(), "several curves of one setup are different marks").toEqual([]);
  });

  it("leave room for the curve however long their names are", () => {
    const long = "Mode ".repeat(16).trim();
    const shown = chart({
      series: [
        series(
          long,
          curve((v) => v),
        ),
      ],
    });
    const picture = show(<Lines chart={shown} height={210} width={600} />);
    const [name] = picture.texts().filter((t) => t.text.includes("Mode M") && t.text.includes("…"));
    expect(name?.x).toBeGreaterThan(300);
    expect((name?.x ?? 600) + 27 * 6.6).toBeLessThanOrEqual(600);
    expect(picture.svg().innerHTML, "the whole name is told").toContain(`<title>${long}</title>`);
    expect(picture.close()).toEqual([]);
  });

  it("stay one each when another mode is laid over them and taken off again", () => {
    const alone = { ...balance, series: balance.series.slice(0, 3) };
    const picture = show(<Lines chart={alone} height={210} width={600} />);
    const before = picture.svg().outerHTML;
    picture.draw(<Lines chart={balance} height={210} width={600} />);
    expect(picture.paths()).toHaveLength(7);
    picture.draw(
      <Lines
        chart={{ ...balance, series: [...balance.series.slice(3), ...balance.series.slice(0, 3)] }}
        height={210}
        width={600}
      />,
    );
    expect(picture.paths()).toHaveLength(7);
    picture.draw(<Lines chart={alone} height={210} width={600} />);
    expect(picture.svg().outerHTML).toBe(before);
    expect(picture.close()).toEqual([]);
  });

  it("say what their axes show, and keep tolerances behind everything", () => {
    const shown = chart({
      x: axis(0, 100, { label: "signal", unit: "%" }),
      y: axis(-4, 2, { label: "error", unit: "L*" }),
      bands: [[-1, 1]],
      series: [
        series(
          "Studio",
          curve(() => 0),
        ),
      ],
    });
    const picture = show(<Lines chart={shown} height={210} width={600} />);
    expect(picture.texts().map((t) => t.text)).toEqual(expect.arrayContaining(["signal, %", "error, L*", "−4", "2"]));
    const band = picture.svg().querySelector("g > rect");
    expect(Number(band?.getAttribute("height"))).toBeCloseTo((210 - 26 - 18) / 3, 6);
    expect(band?.compareDocumentPosition(picture.svg().querySelector("path") as Node)).toBe(
      Node.DOCUMENT_POSITION_FOLLOWING,
    );
    expect(picture.close()).toEqual([]);
  });

  it("leave a remark where no curve runs", () => {
    const steep = series("Studio", [
      [0, 0],
      [10, 80],
      [40, 60],
      [100, 20],
    ]);
    const shown = chart({ series: [steep], notes: [{ x: 10, y: 80, text: "−3.5 L* at 10 %", side: "right" }] });
    const picture = show(<Lines chart={shown} height={210} width={600} />);
    const remark = picture.texts().find((t) => t.text.startsWith("−3.5"));
    const [left, right] = [remark?.x ?? 0, (remark?.x ?? 0) + 15 * 6.6];
    const [top, bottom] = [(remark?.y ?? 0) - 9, remark?.y ?? 0];
    const [points = []] = pieces(picture.paths()[1] ?? "");
    for (const [i, [bx, by]] of points.entries()) {
      const [ax, ay] = points[i - 1] ?? [bx, by];
      for (let k = 0; k <= 50; k++) {
        const [x, y] = [ax + ((bx - ax) * k) / 50, ay + ((by - ay) * k) / 50];
        expect(x > left && x < right && y > top && y < bottom).toBe(false);
      }
    }
    expect(picture.close()).toEqual([]);
  });
});

describe("the pointer", () => {
  const told = (picture: ReturnType<typeof show>) =>
    [...picture.svg().querySelectorAll("[data-found] tspan")].map((t) => t.textContent);

  it("finds the values of all series at the nearest level, and new ones when the chart changes under it", () => {
    const shown = { ...balance, x: axis(0, 100, { unit: "%" }), y: axis(80, 120, { unit: "%" }) };
    const picture = show(<Lines chart={shown} height={210} width={600} />);
    picture.do(pointer("pointermove", 290, 100));
    const [where, ...values] = told(picture);
    expect(where).toBe("50 %");
    expect(values.map((v) => v?.replace(/ +/g, " "))).toEqual([
      "red 99.00 %".replace(".00", ".0"),
      "green 100.0 %",
      "blue 101.0 %",
      "Lively red 90.0 %",
      "Lively green 100.0 %",
      "Lively blue 110.0 %",
    ]);
    const other = { ...shown, series: shown.series.map((s) => ({ ...s, points: curve(() => 85) })) };
    picture.draw(<Lines chart={other} height={210} width={600} />);
    expect(told(picture)[1]?.replace(/ +/g, " ")).toBe("red 85.0 %");
    picture.do(pointer("pointerout", 700, 300));
    picture.do(pointer("pointermove", 700, 100));
    expect(told(picture)).toEqual([]);
    expect(picture.close()).toEqual([]);
  });

  it("finds the dot that it is near, and none where there is none", () => {
    const dots = series(
      "Studio",
      [
        [0.2, 0.47],
        [0.45, 0.52],
      ],
      { hues: ["white", "red"], labels: ["white", "red 100 %"] },
    );
    const shown = chart({
      kind: "plane",
      x: axis(0, 0.65, { decimals: 1 }),
      y: axis(0, 0.6, { decimals: 1 }),
      series: [dots],
    });
    const picture = show(<Plane chart={shown} height={400} width={600} />);
    const unit = (400 - 18 - 28) / 0.6;
    picture.do(pointer("pointermove", 46 + 0.45 * unit + 6, 400 - 28 - 0.52 * unit - 4));
    expect(told(picture)).toEqual(["red 100 %", "Studio", "u′ 0.4500  v′ 0.5200"]);
    picture.do(pointer("pointermove", 46 + 0.3 * unit, 300));
    expect(told(picture)).toEqual([]);
    expect(picture.close()).toEqual([]);
  });
});

describe("zoom", () => {
  const numbers = (picture: ReturnType<typeof show>) =>
    picture
      .texts()
      .map((t) => t.text)
      .filter((t) => /^−?[\d.]+$/.test(t));
  const shown = chart({
    x: axis(0, 80),
    series: [
      series(
        "Studio",
        curve((v) => v),
      ),
    ],
  });

  it("keeps the place under the pointer, stays within the picture, and goes back", () => {
    const picture = show(<Lines chart={shown} height={210} width={600} />);
    const whole = picture.svg().outerHTML;
    const at = picture.texts().find((t) => t.text === "40" && t.y > 190)?.x ?? 0;
    picture.do(wheel(-300, at, 100));
    const near = picture.texts().find((t) => t.text === "40" && t.y > 190);
    expect(near?.x).toBeCloseTo(at, 6);
    expect(picture.svg().outerHTML).not.toBe(whole);
    picture.do(wheel(-300, at, 100, false));
    expect(picture.texts().find((t) => t.text === "40" && t.y > 190)?.x).toBeCloseTo(at, 6);
    for (let i = 0; i < 20; i++) picture.do(wheel(-300, 46, 100));
    expect(Math.max(...numbers(picture).map(Number))).toBeLessThan(100);
    const button = picture.box.querySelector("button");
    expect(button?.textContent).toBe("whole picture");
    picture.do(new MouseEvent("dblclick", { bubbles: true }));
    expect(picture.svg().outerHTML).toBe(whole);
    expect(picture.box.querySelector("button")).toBeNull();
    expect(picture.close()).toEqual([]);
  });

  it("works with keys, whose arrows then do nothing else", () => {
    const picture = show(<Lines chart={shown} height={210} width={600} />);
    const whole = picture.svg().outerHTML;
    const idle = key("ArrowRight");
    picture.do(idle);
    expect(idle.defaultPrevented, "the view's own arrows, while the chart is whole").toBe(false);
    picture.do(key("+"));
    const near = numbers(picture);
    const move = key("ArrowRight");
    picture.do(move);
    expect(move.defaultPrevented).toBe(true);
    expect(numbers(picture)).not.toEqual(near);
    for (let i = 0; i < 30; i++) picture.do(key("ArrowRight"));
    expect(
      Math.max(
        ...picture
          .texts()
          .filter((t) => t.y > 190 && /^\d+$/.test(t.text))
          .map((t) => Number(t.text)),
      ),
    ).toBe(80);
    picture.do(key("-"));
    picture.do(key("-"));
    expect(picture.svg().outerHTML).toBe(whole);
    picture.do(key("+"));
    picture.do(key("0"));
    expect(picture.svg().outerHTML).toBe(whole);
    expect(picture.close()).toEqual([]);
  });

  it("moves with a drag, and no farther than to the end", () => {
    const picture = show(<Lines chart={shown} height={210} width={600} />);
    picture.do(wheel(-300, 300, 100));
    const near = numbers(picture);
    picture.do(mouse("mousedown", 300));
    picture.far(mouse("mousemove", 5000));
    picture.far(mouse("mouseup", 5000));
    expect(numbers(picture)).not.toEqual(near);
    expect(
      Math.min(
        ...picture
          .texts()
          .filter((t) => t.y > 190 && /^\d+$/.test(t.text))
          .map((t) => Number(t.text)),
      ),
    ).toBe(0);
    const there = numbers(picture);
    picture.far(mouse("mousemove", 100));
    expect(numbers(picture), "let go").toEqual(there);
    expect(picture.close()).toEqual([]);
  });
});

describe("a chromaticity plane", () => {
  const many = Array.from({ length: 152 }, (_, i): [number, number] => [
    0.1 + (i % 19) / 60,
    0.2 + Math.floor(i / 19) / 40,
  ]);
  const triangle: [number, number][] = [
    [0.45, 0.52],
    [0.125, 0.56],
    [0.175, 0.16],
    [0.45, 0.52],
  ];
  const shown = chart({
    kind: "plane",
    x: axis(0, 0.65),
    y: axis(0, 0.6),
    series: [
      series(
        "spectrum",
        [
          [0.25, 0.02],
          [0.02, 0.55],
          [0.62, 0.5],
        ],
        { role: "guide" },
      ),
      series("sRGB target", triangle, { role: "target_line" }),
      series("Lively", many, { role: "other", setup: 1 }),
      series("Studio", many, { hues: many.map((_, i) => (i % 2 ? "red" : "blue")), whisker: many }),
    ],
  });

  it("has equal axes, and one path for all dots of a hue", () => {
    const picture = show(<Plane chart={shown} height={400} width={600} />);
    const triangles =
      picture
        .paths()
        .map(pieces)
        .find((p) => p[0]?.length === 4 && p.length === 1)?.[0] ?? [];
    const [[ax, ay], [, by], [cx]] = triangles as [[number, number], [number, number], [number, number]];
    expect(Math.abs(ax - cx) / 0.275).toBeCloseTo(Math.abs(ay - by) / 0.04, -1);
    const counts = picture.paths().map((d) => d.split("h0").length - 1);
    expect(counts.filter((n) => n === 76)).toHaveLength(2);
    expect(
      counts.filter((n) => n === 152),
      "rings are a dot on a dot",
    ).toHaveLength(2);
    expect(picture.paths().length).toBeLessThan(12);
    expect(picture.texts().map((t) => t.text)).toEqual(expect.arrayContaining(["sRGB target", "Lively"]));
    expect(picture.close()).toEqual([]);
  });
});

describe("signed bars", () => {
  it("stand on the middle line, up or down, and leave out numbers there is no room for", () => {
    const parts = ["lightness", "chroma", "hue"].map((name, k) =>
      series(
        name,
        Array.from({ length: 40 }, (_, i): [number, number] => [i, k === 0 ? -1 : 2]),
        { role: "part" },
      ),
    );
    const picture = show(
      <Anatomy chart={chart({ kind: "anatomy", y: axis(-2, 2), series: parts })} height={204} width={400} />,
    );
    const bars = [...picture.svg().querySelectorAll("g rect")].filter(
      (r) => r.closest("defs, pattern, clipPath") === null,
    );
    expect(bars).toHaveLength(120);
    const zero = (18 + 204 - 26) / 2;
    const tops = bars.map((b) => [Number(b.getAttribute("y")), Number(b.getAttribute("height"))] as const);
    expect(tops.slice(0, 40).every(([y]) => Math.abs(y - zero) < 1e-9)).toBe(true);
    expect(tops.slice(40).every(([y, h]) => Math.abs(y + h - zero) < 1e-9 && h > 0)).toBe(true);
    const under = picture
      .texts()
      .filter((t) => t.y > 190)
      .map((t) => t.x);
    expect(under.length).toBeGreaterThan(5);
    for (const [i, x] of under.entries()) if (i) expect(x - (under[i - 1] ?? 0)).toBeGreaterThan(20);
    expect(picture.close()).toEqual([]);
  });
});

describe("a drawing", () => {
  it("puts its marks where they belong, and keeps the shape of the screen", () => {
    const shown = chart({
      kind: "drawing",
      aspect: 16 / 9,
      bare: true,
      x: axis(0, 1),
      y: axis(0, 1),
      marks: [
        {
          shape: "box",
          style: "shade",
          points: [
            [0, 0],
            [0.5, 0.5],
          ],
          text: "",
          shade: 1,
          setup: 0,
          hint: "lower left",
          small: false,
        },
        { shape: "text", style: "lamp", points: [[0.5, 0.5]], text: "2.7", shade: 0, setup: 0, hint: "", small: false },
        {
          shape: "area",
          style: "hatch",
          points: [
            [0, 0],
            [1, 0],
            [1, 1],
          ],
          text: "",
          shade: 0,
          setup: 0,
          hint: "",
          small: false,
        },
      ],
    });
    const picture = show(<Drawing chart={shown} width={600} />);
    const [w, h] = ["width", "height"].map((a) => Number(picture.svg().getAttribute(a)) - 2) as [number, number];
    expect(w / h).toBeCloseTo(16 / 9, 6);
    expect(picture.texts()).toEqual([{ text: "2.7", x: 1 + w / 2, y: 1 + h / 2 }]);
    expect(picture.svg().querySelector("rect > title")?.textContent).toBe("lower left");
    expect(picture.paths().find((d) => d.endsWith("Z"))).toBeTruthy();
    expect(picture.close()).toEqual([]);
  });
});

describe("setups of one name", () => {
  const twice: Chart["series"] = [0, 1].map((setup) =>
    series(
      "Film",
      [
        [97, 0],
        [80, 1],
      ],
      { setup, labels: ["sRGB", "P3"] },
    ),
  );
  it("are shown apart, as those of two displays may be", () => {
    const rules = show(<RuleList chart={chart({ kind: "rules", series: twice })} />);
    expect(rules.box.textContent).toBe("sRGB97.097.0P380.080.0");
    expect(rules.close()).toEqual([]);
    const reach: Chart["series"] = [0, 1].map((setup) =>
      series(
        "Film",
        [
          [0.1, 0],
          [200, 0],
        ],
        { setup, marks: !setup, labels: [setup ? "at least 2000 : 1" : "2000 : 1", "200 cd/m²"] },
      ),
    );
    const span = show(
      <Span chart={chart({ kind: "span", x: axis(-2, 3, { log: true }), series: reach })} width={600} />,
    );
    expect(span.texts().filter((t) => t.text.startsWith("Film"))).toHaveLength(2);
    const ends = [...span.svg().querySelectorAll("circle")].map(
      (c) => c.getAttribute("fill") === c.getAttribute("stroke"),
    );
    expect(
      ends.filter((_, i) => i % 2 === 0),
      "an open end is at least",
    ).toEqual([true, false]);
    expect(span.close()).toEqual([]);
  });
});

describe("a chart in its panel", () => {
  const shown = chart({
    title: "Curve error",
    headline: "rms 1.5 L*",
    note: "grey band is ±1",
    series: [
      series(
        "Film",
        curve((v) => v),
      ),
    ],
    table: {
      heads: ["Signal, %", "Film, L*", "Film, L*"],
      decimals: [0, 1, 1],
      rows: [
        [0, 1.26, -1.26],
        [5, null, 0],
      ],
    },
  });
  it("shows its numbers on demand and can be taken away as a picture of its own", () => {
    const picture = show(<ChartPanel chart={shown} tables={false} name="Fen" />);
    expect(picture.box.querySelector("tbody")).toBeNull();
    expect(picture.svg().getAttribute("aria-label")).toBe("Curve error: rms 1.5 L*");
    picture.draw(<ChartPanel chart={shown} tables name="Fen" />);
    const cells = [...picture.box.querySelectorAll("tbody tr")].map((r) => [...r.children].map((c) => c.textContent));
    expect(cells).toEqual([
      ["0", "1.3", "−1.3"],
      ["5", "–", "0.0"],
    ]);
    picture.do(pointer("pointermove", 290, 100));
    const saved = svgText(picture.box, "#111111") ?? "";
    expect(saved).toContain('xmlns="http://www.w3.org/2000/svg"');
    expect(saved, "what the pointer found is not taken along").not.toContain("data-found");
    expect(saved).not.toMatch(/class=|var\(/);
    expect(picture.close()).toEqual([]);
  });
});
