import { useEffect, useRef } from "react";
import type { Acts } from "./keymap";
import type { KeyGroup, Keys } from "./view";

const LETTERS = "lumenar-letters";

/** Whether keys that print a character do something; a person who speaks or trembles to type can switch them off. */
export const lettersOn = () => localStorage.getItem(LETTERS) !== "off";
export const setLetters = (on: boolean) => localStorage.setItem(LETTERS, on ? "on" : "off");

const ARROWS = ["ArrowUp", "ArrowDown", "ArrowLeft", "ArrowRight"];

/** Whether the element that has the focus uses a key itself, so that it must not be taken from it. */
export function uses(target: EventTarget | null, key: string): boolean {
  if (!(target instanceof Element)) return false;
  if (target instanceof HTMLElement && target.isContentEditable) return true;
  const role = target.getAttribute("role") ?? "";
  if (["menu", "menuitem", "listbox", "option", "combobox", "spinbutton", "tab"].includes(role)) return true;
  if (target instanceof HTMLInputElement) {
    if (target.type === "range") return [...ARROWS, "Home", "End", "PageUp", "PageDown"].includes(key);
    if (target.type === "checkbox" || target.type === "radio") return key === " " || ARROWS.includes(key);
    return true;
  }
  if (target instanceof HTMLTextAreaElement || target instanceof HTMLSelectElement) return true;
  if (target instanceof HTMLButtonElement || target.tagName === "SUMMARY" || role === "button")
    return key === "Enter" || key === " ";
  if (target instanceof HTMLAnchorElement) return key === "Enter";
  return false;
}

/**
 * Bind the keys of a group. This is where it is decided whether a key acts: not while a dialog is open, with Ctrl, Alt or
 * Meta, on an element that uses the key itself, or as a letter while letters are switched off. Escape in a list gives the
 * focus back to the page.
 */
export function useKeys<K extends Keys>(group: KeyGroup<K>, acts: Acts<K>, active = true) {
  const latest = useRef(acts);
  latest.current = acts;
  useEffect(() => {
    if (!active) return;
    const bound = Object.entries(group.keys) as [keyof K, readonly [string, string]][];
    const listen = (event: KeyboardEvent) => {
      // An open dialog has the keys to itself, Escape above all.
      if (document.querySelector("dialog[open]")) return;
      if (event.ctrlKey || event.altKey || event.metaKey || event.defaultPrevented) return;
      const name = bound.find(([, [key]]) => key === event.key)?.[0];
      if (name === undefined) return;
      if (event.key === "Escape" && event.target instanceof HTMLSelectElement) {
        event.preventDefault();
        event.target.blur();
        return;
      }
      if (event.key !== "Escape" && uses(event.target, event.key)) return;
      if (event.key.length === 1 && event.key !== " " && !lettersOn()) return;
      event.preventDefault();
      latest.current[name](event);
    };
    window.addEventListener("keydown", listen);
    return () => window.removeEventListener("keydown", listen);
  }, [active, group]);
}

/** The title of the browser's tab, as soon as a view can say more than its name. */
export function useTitle(title: string | undefined) {
  useEffect(() => {
    if (title) document.title = `${title} · Lumenar`;
  }, [title]);
}
