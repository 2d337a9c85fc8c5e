import { useEffect, useRef, useState } from "react";
import type { BenchStatus } from "../../api/client";
import { useBench } from "./queries";

/** What is worth saying of a run: its start, each quarter, why it stands still, its end. */
export function milestone(before: BenchStatus | undefined, now: BenchStatus): string | null {
  if (now.kind !== "run" && before?.kind === "run") return `The run on ${before.review_name} has ended.`;
  if (now.kind !== "run") return null;
  if (before?.run !== now.run || before?.kind !== "run")
    return `A run on ${now.review_name} is on the bench, ${now.total} readings.`;
  if (now.state === "paused" && before.state !== "paused") return now.message || "The run is paused.";
  if (now.state === "running" && before.state === "paused") return "The run goes on.";
  const quarter = (s: BenchStatus) => (s.total ? Math.floor((4 * s.done) / s.total) : 0);
  if (quarter(now) > quarter(before)) return `${now.done} of ${now.total} readings.`;
  return null;
}

/** The last milestone, for a live region. */
export function Milestones() {
  const bench = useBench().data;
  const before = useRef<BenchStatus | undefined>(undefined);
  const [said, setSaid] = useState("");
  useEffect(() => {
    if (!bench) return;
    const words = before.current === undefined ? null : milestone(before.current, bench);
    before.current = bench;
    if (words) setSaid(words);
  }, [bench]);
  return said;
}
