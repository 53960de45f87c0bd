/** Which rows a tree of a response has, of what has been read of it. */

import type { Schemas } from "../../api/client";

export type NodeItem = Schemas["NodeItem"];
/** Depth to which the first of each list, and all parts of an object, are open at first. */
export const OPEN_AT_FIRST = 5;
/** Parts of an object up to which they are open at first. */
export const FEW = 40;

/**
 * A list or object whose members are shown. path: its own.  isFirst: whether only first elements of lists lie on the
 * way to it.
 */
export interface Holder {
  kind: string;
  count: number;
  path: string;
  isFirst: boolean;
  nodes: Map<number, NodeItem>;
  /** The members that are open, by position. */
  open: Map<number, string>;
}

/** Rows that stand together: members of one holder, from `first` on. */
export interface Run {
  at: number;
  length: number;
  holder: string;
  first: number;
  depth: number;
}

/** A member of a list or object. holder: the pointer of what it is in. */
export interface Place {
  holder: string;
  position: number;
}

export interface Row extends Place {
  depth: number;
  /** Not there before its page came. */
  node?: NodeItem;
  isFirst: boolean;
  isOpen: boolean;
}

export function depthOf(pointer: string): number {
  return pointer.split("/").length - 1;
}

export function isFirstOf(holder: Holder, position: number, isMap: (path: string) => boolean): boolean {
  return holder.isFirst && (position === 0 || (holder.kind === "object" && !isMap(holder.path)));
}

/**
 * Open at first: the first of a list, all parts of an object that has few. As the source of a record, only what leads
 * to it is, and what is in it.
 */
export function opensAtFirst(
  node: NodeItem,
  position: number,
  depth: number,
  holder: Holder,
  { isMap, isSource, unfolded }: { isMap: (path: string) => boolean; isSource: boolean; unfolded: string | null },
): boolean {
  if (isSource && unfolded !== null && node.pointer.startsWith(`${unfolded}/`))
    return node.kind === "object" && 0 < node.count && node.count <= FEW;
  if (node.count === 0 || depth >= OPEN_AT_FIRST || isSource || !holder.isFirst) return false;
  return holder.kind === "object" && !isMap(holder.path) ? holder.count <= FEW : position === 0;
}

/**
 * All rows from the top down, members of what is open right below it. missing: is told what is open and not there yet.
 */
export function laidOut(
  holders: Map<string, Holder>,
  missing: (holder: Holder, position: number) => void,
): { runs: Run[]; total: number } {
  const runs: Run[] = [];
  let at = 0;
  const add = (holder: string, first: number, length: number, depth: number) => {
    if (length > 0) runs.push({ at, length, holder, first, depth });
    at += length;
  };
  const walk = (pointer: string, depth: number) => {
    const holder = holders.get(pointer);
    if (!holder) return add(pointer, 0, 1, depth); // a line that says it is being read
    let first = 0;
    for (const position of [...holder.open.keys()].sort((one, other) => one - other)) {
      add(pointer, first, position + 1 - first, depth);
      first = position + 1;
      const inner = holder.open.get(position)!;
      if (!holders.has(inner)) missing(holder, position);
      walk(inner, depth + 1);
    }
    add(pointer, first, holder.count - first, depth);
  };
  walk("", 0);
  return { runs, total: at };
}

/** The run that a row is in, by halving. */
export function runAt(runs: Run[], index: number): number {
  let low = 0;
  let high = runs.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (runs[middle]!.at <= index) low = middle;
    else high = middle - 1;
  }
  return low;
}
