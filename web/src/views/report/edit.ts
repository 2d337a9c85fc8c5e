import type { DraftReport, FindingBlock, Sent } from "../../api/client";

/** What an editor wrote and decided, as it is saved. Where there is no text, the report has Lumenar's. */
export type Edit = Required<Omit<Sent<"NewStory">, "confirmed">>;
type Choice = Edit["findings"][number];

/** The editor's part of a report. */
export function editOf(report: DraftReport): Edit {
  const own = report.findings.filter((f) => f.place !== null || f.wording.text !== null || !f.chart);
  return {
    headline: report.headline.text ?? null,
    standfirst: report.standfirst.text ?? null,
    author: report.author,
    bench: report.bench,
    purposes: Object.fromEntries(report.purposes.flatMap((p) => (p.text == null ? [] : [[purposeOf(p.name), p.text]]))),
    findings: own.map((f) => ({ key: f.key, place: f.place ?? null, text: f.wording.text ?? null, chart: f.chart })),
    order: report.order,
    paragraphs: report.paragraphs as Edit["paragraphs"],
    untested: report.untested,
    siblings: report.siblings as Edit["siblings"],
    claims: report.claims.map(({ words, figure, comparison, number, decimals }) => ({
      words,
      figure,
      comparison,
      number,
      decimals,
    })),
    reason: report.reason,
  };
}

export const choiceOf = (edit: Edit, key: string): Choice =>
  edit.findings.find((c) => c.key === key) ?? { key, place: null, text: null, chart: true };

/** An edit with something else decided about a finding. */
export function chosen(edit: Edit, key: string, change: Partial<Choice>): Edit {
  const next = { ...choiceOf(edit, key), ...change };
  const others = edit.findings.filter((c) => c.key !== key);
  const plain = next.place == null && next.text == null && next.chart;
  return { ...edit, findings: plain ? others : [...others, next] };
}

/** Whether the report tells a finding. */
export function isTold(edit: Edit, f: FindingBlock): boolean {
  const { place } = choiceOf(edit, f.key);
  return f.found && (place === "kept" || (place !== "dropped" && f.automatic_place));
}

/** An edit with a finding left out, or told again; what the rules would do anyway needs no choice. */
export function toggled(edit: Edit, f: FindingBlock): Edit {
  const told = isTold(edit, f);
  const own = told ? "dropped" : "kept";
  return chosen(edit, f.key, { place: told === f.automatic_place ? own : null });
}

/** The key of the purpose that a sentence is for. */
export const purposeOf = (name: string) => name.slice("purpose.".length);

/** The findings that the report tells, in its order; a finding without a place of its own follows the one it would follow. */
export function toldOf(edit: Edit, every: readonly FindingBlock[]): FindingBlock[] {
  const kept = every.filter((f) => isTold(edit, f));
  const keys = kept.map((f) => f.key);
  const arranged = edit.order.filter((k) => keys.includes(k));
  keys.forEach((key, i) => {
    if (arranged.includes(key)) return;
    const before = keys.slice(0, i).findLast((k) => arranged.includes(k));
    arranged.splice(before === undefined ? 0 : arranged.indexOf(before) + 1, 0, key);
  });
  return arranged.flatMap((k) => kept.filter((f) => f.key === k));
}

/** An edit with a finding moved by so many places among those that are told. */
export function movedBy(edit: Edit, every: readonly FindingBlock[], key: string, by: number): Edit {
  const order = toldOf(edit, every).map((f) => f.key);
  const from = order.indexOf(key);
  const to = from + by;
  if (from < 0 || to < 0 || to >= order.length) return edit;
  order.splice(to, 0, ...order.splice(from, 1));
  return { ...edit, order };
}

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

export const sameEdit = (a: Edit, b: Edit) => FIELDS.every((f) => same(a[f], b[f]));

export const FIELDS = [
  "headline",
  "standfirst",
  "author",
  "bench",
  "purposes",
  "findings",
  "order",
  "paragraphs",
  "untested",
  "siblings",
  "claims",
  "reason",
] as const satisfies readonly (keyof Edit)[];

export type FieldName = (typeof FIELDS)[number];

/**
 * Two edits of one version put together. What only one of them changed is taken from it; the fields that both changed to
 * something else are returned, and hold mine.
 */
export function merged(base: Edit, mine: Edit, theirs: Edit): { edit: Edit; both: FieldName[] } {
  const both: FieldName[] = [];
  const edit = { ...theirs };
  const put = <F extends FieldName>(f: F, value: Edit[F]) => {
    edit[f] = value;
  };
  for (const f of FIELDS) {
    if (same(mine[f], base[f]) || same(mine[f], theirs[f])) continue;
    if (same(theirs[f], base[f])) put(f, mine[f]);
    else if (f === "purposes" || f === "findings") {
      const parts = f === "purposes" ? purposesOf(base, mine, theirs) : findingsOf(base, mine, theirs);
      if (f === "purposes") put("purposes", parts.value as Edit["purposes"]);
      else put("findings", parts.value as Edit["findings"]);
      if (parts.both) both.push(f);
    } else {
      put(f, mine[f]);
      both.push(f);
    }
  }
  return { edit, both };
}

/** By key: what one side changed wins over what it left; where both changed it, mine. */
function byKey<T>(base: Map<string, T>, mine: Map<string, T>, theirs: Map<string, T>) {
  const value = new Map(theirs);
  let both = false;
  for (const key of new Set([...base.keys(), ...mine.keys()])) {
    const [b, m, t] = [base.get(key), mine.get(key), theirs.get(key)];
    if (same(b, m)) continue;
    if (!same(b, t) && !same(m, t)) both = true;
    if (m === undefined) value.delete(key);
    else value.set(key, m);
  }
  return { value, both };
}

function purposesOf(base: Edit, mine: Edit, theirs: Edit) {
  const map = (e: Edit) => new Map(Object.entries(e.purposes));
  const found = byKey(map(base), map(mine), map(theirs));
  return { value: Object.fromEntries(found.value), both: found.both };
}

function findingsOf(base: Edit, mine: Edit, theirs: Edit) {
  const map = (e: Edit) => new Map(e.findings.map((c) => [c.key, c]));
  const found = byKey(map(base), map(mine), map(theirs));
  return { value: [...found.value.values()], both: found.both };
}
