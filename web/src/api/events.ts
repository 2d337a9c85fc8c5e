import { type Query, type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { BenchStatus, Board } from "./client";

const BOARD_EVERY_MS = 400;

/** What is told of while it goes on: tunings, replays and experiments, and what shows them. */
const STEERED = ["tuning", "tunings", "recipe", "experiment", "experiments", "findings"];

type Grown = { review: number; cells: [setup: number, measurement: string, done: number, total: number][] };

/** A Board with some cells further along; all else stays the very same, so that nothing else is drawn anew. */
export function grown(board: Board, cells: Grown["cells"]): Board {
  const rows = board.rows.map((row) => {
    const own = cells.filter(([setup]) => setup === row.setup);
    if (own.length === 0) return row;
    return {
      ...row,
      cells: row.cells.map((cell) => {
        const now = own.find(([, measurement]) => measurement === cell.measurement);
        if (!now || now[2] === now[3]) return cell;
        return { ...cell, state: "measuring" as const, done: now[2], total: now[3] };
      }),
    };
  });
  return { ...board, rows };
}

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
  const refresh = () => {
    waiting ??= setTimeout(() => {
      waiting = undefined;
      // A Board that is still being read is not asked for again; afterwards it is.
      if (client.isFetching({ queryKey: ["board"] })) {
        refresh();
        return;
      }
      stale(client, ["board", "shelf", "verdict"]);
    }, BOARD_EVERY_MS);
  };
  source.addEventListener("bench", (event) => {
    // An answer that is still under way is older than this, and must not overwrite it.
    client.cancelQueries({ queryKey: ["bench"] }, { revert: false, silent: true });
    client.setQueryData<BenchStatus>(["bench"], JSON.parse(event.data));
  });
  source.addEventListener("cells", (event) => {
    const { review, cells } = JSON.parse(event.data) as Grown;
    client.setQueriesData<Board>({ queryKey: ["board", review] }, (board) => board && grown(board, cells));
    // A cell that is whole has figures now.
    if (cells.some(([, , done, total]) => done === total)) refresh();
  });
  source.addEventListener("run", () => {
    refresh();
    // What a tuning is worth follows from runs.
    stale(client, ["tuning"]);
  });
  source.addEventListener("tuning", () => stale(client, STEERED));
  source.onopen = () => {
    connected(true);
    refresh();
  };
  source.onerror = () => connected(false);
  return () => {
    source.close();
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
