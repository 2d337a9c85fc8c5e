import { useCallback, useSyncExternalStore } from "react";

/** How far a cell is that is being measured. */
export interface Progress {
  done: number;
  total: number;
}

/*
 * The server tells of each reading which cell it brought further. That is kept here rather than in the answer that the Board
 * was drawn from, so that a reading draws one cell anew and not the Board.
 */
const reached = new Map<string, Progress & { review: number }>();
const watchers = new Map<string, Set<() => void>>();
const keyOf = (setup: number, measurement: string) => `${setup} ${measurement}`;
const tell = (key: string) => {
  for (const watcher of watchers.get(key) ?? []) watcher();
};

/** A cell is further than the Board's answer says. */
export function further(review: number, setup: number, measurement: string, progress: Progress) {
  const key = keyOf(setup, measurement);
  reached.set(key, { review, ...progress });
  tell(key);
}

/** A newer answer is there, which says all that was told before. */
export function answered(review: number) {
  for (const [key, progress] of [...reached]) {
    if (progress.review !== review) continue;
    reached.delete(key);
    tell(key);
  }
}

/** How far a cell is since the Board's answer, undefined where nothing was read since. Draws whoever asks, when it changes. */
export function useProgress(setup: number, measurement: string): Progress | undefined {
  const key = keyOf(setup, measurement);
  const watch = useCallback(
    (changed: () => void) => {
      const mine = watchers.get(key) ?? new Set();
      watchers.set(key, mine.add(changed));
      return () => {
        mine.delete(changed);
        if (mine.size === 0) watchers.delete(key);
      };
    },
    [key],
  );
  return useSyncExternalStore(watch, () => reached.get(key));
}
