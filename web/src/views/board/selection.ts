import { useCallback, useState } from "react";

export const keyOf = (setup: number, measurement: string) => `${setup} ${measurement}`;

/** The selected cells of a Board. */
export function useSelection() {
  const [selected, setSelected] = useState<ReadonlySet<string>>(new Set());
  /** Select the keys, or unselect them where all were selected already. */
  const toggle = useCallback((keys: string[]) => {
    setSelected((before) => {
      const next = new Set(before);
      const all = keys.every((k) => before.has(k));
      for (const k of keys) {
        if (all) next.delete(k);
        else next.add(k);
      }
      return next;
    });
  }, []);
  const select = useCallback((keys: string[]) => setSelected(new Set(keys)), []);
  const clear = useCallback(() => setSelected(new Set()), []);
  return { selected, toggle, select, clear };
}
