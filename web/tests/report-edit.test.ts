import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import type { FindingBlock } from "../src/api/client";
import { chosen, type Edit, isTold, merged, movedBy, toggled, toldOf } from "../src/views/report/edit";

const EMPTY: Edit = {
  headline: null,
  standfirst: null,
  author: "",
  bench: "",
  purposes: {},
  findings: [],
  order: [],
  paragraphs: [],
  untested: [],
  siblings: [],
  claims: [],
  reason: "",
};

const finding = (key: string, automatic = true): FindingBlock => ({
  key,
  kind: "fault",
  wording: { name: `finding.${key}`, title: "", automatic: key, text: null, moved: [] },
  advice: "",
  told: automatic,
  automatic_place: automatic,
  place: null,
  chart: true,
  has_chart: true,
  found: true,
});
const EVERY = [finding("a"), finding("b"), finding("c"), finding("x", false)];
const keys = (edit: Edit) =>
  toldOf(edit, EVERY)
    .map((f) => f.key)
    .join("");

interface Shared {
  automatic: string[];
  every: string[];
  cases: { places: Record<string, "kept" | "dropped">; order: string; told: string }[];
}
/** The server decides what is published, so its tests use the same cases (`tests/core/test_story.py`). */
const SHARED: Shared = JSON.parse(readFileSync("../tests/vectors/finding_order.json", "utf-8"));

describe("findings of a report", () => {
  it.each(SHARED.cases)("are ordered as the server orders them: $places $order", ({ places, order, told }) => {
    // The server sends those that are told first.
    const { automatic, every } = SHARED;
    const sent = [...automatic, ...every.filter((k) => !automatic.includes(k))];
    const choices = Object.entries(places).map(([key, place]) => ({ key, place, text: null, chart: true }));
    const edit = { ...EMPTY, order: [...order], findings: choices };
    const found = toldOf(
      edit,
      sent.map((k) => finding(k, automatic.includes(k))),
    );
    expect(found.map((f) => f.key).join("")).toBe(told);
  });
  it("are told in the rules' order, without those left out, with those added", () => {
    expect(keys(EMPTY)).toBe("abc");
    expect(keys(chosen(EMPTY, "b", { place: "dropped" }))).toBe("ac");
    expect(keys(chosen(EMPTY, "x", { place: "kept" }))).toBe("abcx");
  });
  it("are moved, but not beyond the ends", () => {
    expect(keys(movedBy(EMPTY, EVERY, "c", -1))).toBe("acb");
    expect(keys(movedBy(movedBy(EMPTY, EVERY, "c", -1), EVERY, "c", -1))).toBe("cab");
    expect(movedBy(EMPTY, EVERY, "a", -1)).toBe(EMPTY);
    expect(movedBy(EMPTY, EVERY, "c", 1)).toBe(EMPTY);
  });
  it("are left out and told again by one key, and what the rules do anyway is no choice", () => {
    const [a, , , x] = EVERY as [FindingBlock, FindingBlock, FindingBlock, FindingBlock];
    expect(keys(toggled(EMPTY, a))).toBe("bc");
    expect(toggled(toggled(EMPTY, a), a).findings).toEqual([]);
    expect(keys(toggled(EMPTY, x))).toBe("abcx");
    expect(toggled(toggled(EMPTY, x), x).findings).toEqual([]);
  });
  it("are forgotten as choices once nothing is decided about them", () => {
    const dropped = chosen(EMPTY, "b", { place: "dropped" });
    expect(chosen(dropped, "b", { place: null }).findings).toEqual([]);
    expect(chosen(dropped, "b", { place: null, chart: false }).findings).toHaveLength(1);
  });
  it("that are no longer found are not told, whatever was decided", () => {
    const gone = { ...finding("g"), found: false };
    expect(isTold(chosen(EMPTY, "g", { place: "kept" }), gone)).toBe(false);
  });
});

describe("two edits of one version", () => {
  const base = { ...EMPTY, headline: "old", purposes: { film: "f", play: "p" } };
  it("are put together where each changed something else", () => {
    const mine = { ...base, headline: "mine", purposes: { film: "mine", play: "p" } };
    const theirs = { ...base, reason: "theirs", purposes: { film: "f", play: "theirs" } };
    const { edit, both } = merged(base, mine, theirs);
    expect(both).toEqual([]);
    expect(edit).toEqual({ ...base, headline: "mine", reason: "theirs", purposes: { film: "mine", play: "theirs" } });
  });
  it("keep a text taken back by one beside another changed by the other", () => {
    const mine = { ...base, purposes: { play: "p" } };
    const theirs = { ...base, purposes: { film: "f", play: "theirs" } };
    expect(merged(base, mine, theirs)).toEqual({ edit: { ...base, purposes: { play: "theirs" } }, both: [] });
  });
  it("ask about what both changed, and hold mine", () => {
    const { edit, both } = merged(base, { ...base, headline: "mine" }, { ...base, headline: "theirs" });
    expect(both).toEqual(["headline"]);
    expect(edit.headline).toBe("mine");
  });
  it("don't ask where both changed it to the same", () => {
    expect(merged(base, { ...base, headline: "new" }, { ...base, headline: "new" }).both).toEqual([]);
  });
  it("compare findings one by one, and keep what only they removed", () => {
    const start = chosen(chosen(EMPTY, "a", { text: "A" }), "b", { text: "B" });
    const mine = chosen(start, "a", { text: "mine" });
    const theirs = chosen(start, "b", { text: null });
    expect(merged(start, mine, theirs)).toEqual({ edit: chosen(theirs, "a", { text: "mine" }), both: [] });
    expect(merged(start, mine, chosen(start, "a", { text: "theirs" })).both).toEqual(["findings"]);
  });
});
