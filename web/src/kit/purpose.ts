import { useSyncExternalStore } from "react";
import { ApiError } from "../api/client";

const KEY = "lumenar-purpose";
const USUAL = "colour_work";
const heard = new Set<() => void>();

/** What displays are judged for at present, in this browser. */
export const purposeNow = () => localStorage.getItem(KEY) ?? USUAL;

/** Judge for another purpose from now on. */
export function judgeFor(purpose: string) {
  if (purpose === purposeNow()) return;
  localStorage.setItem(KEY, purpose);
  for (const tell of heard) tell();
}

/** Judge for the usual one, where the chosen one is there no longer. */
export const forgetPurpose = () => judgeFor(USUAL);

const listen = (tell: () => void) => {
  heard.add(tell);
  return () => heard.delete(tell);
};

export const usePurpose = () => useSyncExternalStore(listen, purposeNow);

/** The purpose after the present one, or before it. */
export function nextPurpose(all: readonly { key: string }[], by: number) {
  if (all.length === 0) return;
  const at = all.findIndex((p) => p.key === purposeNow());
  const next = all[(at + by + all.length) % all.length];
  if (next) judgeFor(next.key);
}

/** A title as it stands within a sentence: Colour work as colour work, HDR film as it is. */
export const midSentence = (title: string) =>
  /^.\p{Lu}/u.test(title) ? title : title.slice(0, 1).toLowerCase() + title.slice(1);

/** What is asked for a purpose; the usual one where somebody deleted it meanwhile. */
export async function forPurpose<T>(purpose: string, ask: (purpose: string) => Promise<T>): Promise<T> {
  try {
    return await ask(purpose);
  } catch (error) {
    if (!(error instanceof ApiError) || error.problem.place !== "purpose") throw error;
    forgetPurpose();
    return ask(purposeNow());
  }
}
