import type { FetchQueryOptions } from "@tanstack/react-query";
import type { ComponentType } from "react";

/** Keys by the name of what they do: the key, and what the help says of it. */
export type Keys = Record<string, readonly [string, string]>;

/** The keys that work in a place, and what the help calls that place. */
export interface KeyGroup<K extends Keys = Keys> {
  where: string;
  keys: K;
}

/** What an address carries: the names in its path, and what stands after its question mark. */
export interface Address {
  path: Record<string, string | undefined>;
  search: URLSearchParams;
}

// biome-ignore lint/suspicious/noExplicitAny: queries of any answer
type Query = FetchQueryOptions<any, any, any, any>;

/** A view: all that the rest of the application knows of it. It stands in its folder's `route.ts`, where it is found. */
export interface View {
  /** Where it comes in the top bar and in the help, among the others. */
  place: number;
  /** Its address, as the router reads it. */
  route: string;
  /** What the browser's tab says until the view's data say more, and what the top bar calls it. */
  title: string;
  /** Its keys, in the order the help lists them. */
  keys: readonly KeyGroup[];
  /** What it shows first: asked for while its script is on the way. */
  query?: (address: Address) => Query[];
  /** Where the top bar leads to it from: every page, or the pages of a review. */
  bar?: "everywhere" | "review";
  /** Its script, which comes when it is first needed. */
  load: () => Promise<{ default: ComponentType }>;
}

/** The number in a view's path. */
export const numberIn = (address: Address, name: string) => Number(address.path[name]);
