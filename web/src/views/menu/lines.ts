import type { MenuControl } from "../../api/client";
import { short } from "../../kit/paths";

/** What stands in a line: a control, or a whole table in one. */
export interface Entry {
  path: string;
  values: string;
  default: string;
  control: MenuControl;
  cells: MenuControl[];
}

/** A table's cells as one line, so that its points and channels are seen at a glance. */
export function entries(controls: MenuControl[]): Entry[] {
  const out: Entry[] = [];
  for (const c of controls) {
    const last = out.at(-1);
    if (c.group && last?.path === c.group) {
      last.cells.push(c);
      continue;
    }
    const values = c.kind === "notches" ? `${c.values} notches, no numbers` : c.values;
    out.push({ path: c.group || c.path, values, default: c.default ?? "not known", control: c, cells: [c] });
  }
  for (const e of out.filter((x) => x.cells.length > 1)) {
    const ends = e.cells.map((c) => c.path.slice(e.path.length + 3).split(" > "));
    const part = (i: number) => [...new Set(ends.map((x) => x[i] ?? ""))];
    e.values = `${part(1).join(", ")} at ${part(0).join(", ")}; each ${e.values}`;
    e.default = [...new Set(e.cells.map((c) => c.default ?? "not known"))].join(", ");
  }
  return out;
}

/** A control's path as the last part, indented under the heads that the line before does not share. */
export function heads(paths: string[][], at: number): string[] {
  const here = paths[at]?.slice(0, -1) ?? [];
  const before = paths[at - 1]?.slice(0, -1) ?? [];
  const shared = here.findIndex((h, i) => h !== before[i]);
  return shared < 0 ? [] : here.slice(shared);
}

export function rules(c: MenuControl): string[] {
  return [
    ...(c.when === "sdr" ? ["set only while SDR shows"] : c.when === "first" ? ["set before HDR is sent"] : []),
    ...Object.entries(c.locks).map(([v, paths]) => `${v} locks ${paths.map(short).join(", ")}`),
    ...(c.resets.length
      ? [`resets ${c.resets.length > 4 ? `${c.resets.length} settings` : c.resets.map(short).join(", ")}`]
      : []),
  ];
}

/** What is written of a control in somebody's words. */
export function words(c: MenuControl): string {
  const said = [
    c.promise && `“${c.promise}”`,
    c.note,
    c.route && `reached by ${c.route}`,
    c.only && `only ${c.only}`,
    c.evidence && `known from ${c.evidence}`,
  ];
  return said.filter(Boolean).join(" · ");
}

export function differing(e: Entry, differs: Record<string, string>): string {
  const set = e.cells.filter((c) => differs[c.path] !== undefined);
  if (e.cells.length > 1) return set.length ? `${set.length} of ${e.cells.length} set` : "";
  return differs[e.control.path] ?? "";
}
