import { Flex, Text } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import { QuietButton } from "./basics";

const PREFIX = "lumenar-draft ";
/** The oldest drafts go when there are more. */
const MOST = 60;

interface Kept<T> {
  at: number;
  value: T;
}

function read<T>(key: string): T | undefined {
  try {
    const text = localStorage.getItem(PREFIX + key);
    return text === null ? undefined : (JSON.parse(text) as Kept<T>).value;
  } catch {
    // A browser that keeps nothing, or something that no draft is.
    return undefined;
  }
}

function prune() {
  const all = Object.keys(localStorage).filter((k) => k.startsWith(PREFIX));
  if (all.length <= MOST) return;
  const at = (k: string) => {
    try {
      return (JSON.parse(localStorage.getItem(k) ?? "{}") as Kept<unknown>).at ?? 0;
    } catch {
      return 0;
    }
  };
  for (const k of all.sort((a, b) => at(a) - at(b)).slice(0, all.length - MOST)) localStorage.removeItem(k);
}

function write<T>(key: string, value: T | undefined) {
  try {
    if (value === undefined) localStorage.removeItem(PREFIX + key);
    else {
      localStorage.setItem(PREFIX + key, JSON.stringify({ at: Date.now(), value }));
      prune();
    }
  } catch {
    // Without storage a draft lasts as long as its view.
  }
}

export interface Draft<T> {
  value: T;
  set: (value: T | ((old: T) => T)) => void;
  /** Forget the draft: it was saved, or is not wanted. */
  clear: () => void;
  /** Whether what is shown was typed before the view was opened. */
  restored: boolean;
}

/**
 * State that outlives its view: what a person types is kept in the browser until it is saved, so that Escape, a link, a closed
 * tab or a crash lose nothing. `key` says what it is a draft of; `empty` is what there is without one.
 */
export function useDraft<T>(key: string, empty: T): Draft<T> {
  const [state, setState] = useState(() => {
    const kept = read<T>(key);
    return { key, value: kept ?? empty, restored: kept !== undefined };
  });
  // Another key is another draft; it is read while rendering, so that nothing of the old one is ever shown under the new.
  let now = state;
  if (state.key !== key) {
    const kept = read<T>(key);
    now = { key, value: kept ?? empty, restored: kept !== undefined };
    setState(now);
  }
  const blank = useRef(JSON.stringify(empty));
  useEffect(() => {
    blank.current = JSON.stringify(empty);
  });
  const set = (next: T | ((old: T) => T)) =>
    setState((old) => {
      const value = typeof next === "function" ? (next as (old: T) => T)(old.value) : next;
      write(old.key, JSON.stringify(value) === blank.current ? undefined : value);
      return { ...old, value };
    });
  const clear = () => {
    write(key, undefined);
    setState({ key, value: empty, restored: false });
  };
  return { value: now.value, set, clear, restored: now.restored };
}

/** Says that a draft is shown, and lets it be discarded. */
export function DraftNote({ draft }: { draft: Pick<Draft<unknown>, "restored" | "clear"> }) {
  if (!draft.restored) return null;
  return (
    <Flex gap="10px" align="center" mb="8px" role="status" data-testid="draft">
      <Text color="ink2">You typed this earlier and didn't save it.</Text>
      <QuietButton onClick={draft.clear}>Discard it</QuietButton>
    </Flex>
  );
}
