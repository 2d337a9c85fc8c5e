import { type Query, type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { BenchStatus } from "./client";
import { answered, further } from "./progress";

/** What a run changes is asked for so long after it, and not again before the second time is over: many cells are complete at once. */
const SOON_MS = 400;
const EVERY_MS = 1500;

/** What is told of while it goes on: tunings, replays and experiments, and what shows them. */
const STEERED = ["tuning", "tunings", "recipe", "experiment", "experiments", "findings"];

type Told = { review: number; cells: [setup: number, measurement: string, done: number, total: number][] };

/**
 * Ask anew for what the keys name. What is being read for the first time is not asked for twice, and its answer may be older than
 * what was just told: it is asked for once more as soon as that has come.
 */
export function stale(client: QueryClient, keys: readonly string[]) {
  const again = () => {
    for (const key of keys) client.invalidateQueries({ queryKey: [key] });
  };
  const first = { predicate: (q: Query) => keys.includes(String(q.queryKey[0])) && q.state.data === undefined };
  if (client.isFetching(first)) {
    const end = client.getQueryCache().subscribe(() => {
      if (client.isFetching(first)) return;
      end();
      again();
    });
  }
  again();
}

/** One connection to the server's events: the bench's state at once, the other views a few times a second at most. */
function listen(client: QueryClient, connected: (yes: boolean) => void): () => void {
  const source = new EventSource("/api/v1/events");
  let waiting: ReturnType<typeof setTimeout> | undefined;
  let asked = Number.NEGATIVE_INFINITY;
  const refresh = () => {
    const wait = Math.max(SOON_MS, asked + EVERY_MS - performance.now());
    waiting ??= setTimeout(() => {
      waiting = undefined;
      // A Board that is still being read is not asked for again; afterwards it is.
      if (client.isFetching({ queryKey: ["board"] })) {
        refresh();
        return;
      }
      asked = performance.now();
      stale(client, ["board", "shelf", "verdict"]);
    }, wait);
  };
  const forget = client.getQueryCache().subscribe(({ type, query, ...event }) => {
    if (type !== "updated" || query.queryKey[0] !== "board") return;
    if ("action" in event && event.action.type === "success") answered(Number(query.queryKey[1]));
  });
  source.addEventListener("bench", (event) => {
    // An answer that is still under way is older than this, and must not overwrite it.
    client.cancelQueries({ queryKey: ["bench"] }, { revert: false, silent: true });
    client.setQueryData<BenchStatus>(["bench"], JSON.parse(event.data));
  });
  source.addEventListener("cells", (event) => {
    const { review, cells } = JSON.parse(event.data) as Told;
    for (const [setup, measurement, done, total] of cells) further(review, setup, measurement, { done, total });
    // A cell that is whole has figures now.
    if (cells.some(([, , done, total]) => done === total)) refresh();
  });
  source.addEventListener("figures", refresh);
  source.addEventListener("run", () => {
    refresh();
    // What a tuning is worth, and what a report says, follows from runs.
    stale(client, ["tuning", "report"]);
  });
  source.addEventListener("tuning", () => stale(client, STEERED));
  source.onopen = () => {
    connected(true);
    refresh();
  };
  source.onerror = () => connected(false);
  return () => {
    source.close();
    forget();
    clearTimeout(waiting);
  };
}

/**
 * Follow the server's events while the page is in sight. A browser gives one host six connections over all its tabs, and
 * keeps those of pages it remembers for going back; a page out of sight must not hold one.
 */
export function useEvents(): boolean {
  const client = useQueryClient();
  const [connected, setConnected] = useState(true);
  useEffect(() => {
    let close: (() => void) | undefined;
    const follow = () => {
      if (document.visibilityState === "visible") close ??= listen(client, setConnected);
      else leave();
    };
    const leave = () => {
      close?.();
      close = undefined;
    };
    follow();
    document.addEventListener("visibilitychange", follow);
    window.addEventListener("pagehide", leave);
    window.addEventListener("pageshow", follow);
    return () => {
      document.removeEventListener("visibilitychange", follow);
      window.removeEventListener("pagehide", leave);
      window.removeEventListener("pageshow", follow);
      leave();
    };
  }, [client]);
  return connected;
}
