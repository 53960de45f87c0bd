/* eslint-disable react-hooks/refs -- what was read is a cache beside React's state; `redraw` says when it changed */
import { useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useReducer, useRef, useState } from "react";
import { answer, api } from "../../api/client";
import { type Holder, type Place, type Row, depthOf, isFirstOf, laidOut, opensAtFirst, runAt } from "./layout";

/** Members of a list or object that are asked for together. */
const PAGE = 100;
/**
 * The tree of a stored response as rows, of which only those are fetched that are looked at. isMap: whether an object's
 * keys are data.
 */
export function useNodes(project: string, body: string, isMap: (path: string) => boolean, isSource: boolean) {
  const cache = useQueryClient();
  const [, redraw] = useReducer((number: number) => number + 1, 0);
  const holders = useRef(new Map<string, Holder>());
  const asked = useRef(new Set<string>());
  const [error, setError] = useState<unknown>(null);
  const judge = useRef({ isMap, isSource, unfolded: null as string | null });
  judge.current = { ...judge.current, isMap, isSource };

  const page = useCallback(
    async (pointer: string, number: number, path: string, depth: number, isFirst: boolean) => {
      const key = `${pointer} ${number}`;
      if (asked.current.has(key)) return;
      asked.current.add(key);
      const piece = await fetchPiece(cache, project, body, pointer, number);
      const known = holders.current.get(pointer);
      const holder = known ?? {
        kind: piece.kind,
        count: piece.count,
        path,
        isFirst,
        nodes: new Map(),
        open: new Map(),
      };
      holders.current.set(pointer, holder);
      piece.nodes.forEach((node, at) => {
        const position = number * PAGE + at;
        holder.nodes.set(position, node);
        if (!known && opensAtFirst(node, position, depth, holder, judge.current))
          holder.open.set(position, node.pointer);
      });
      redraw();
    },
    [cache, project, body],
  );
  const load = useCallback(
    (pointer: string, number: number, path: string, depth: number, isFirst: boolean) =>
      void page(pointer, number, path, depth, isFirst).catch(setError),
    [page],
  );

  useEffect(() => load("", 0, "", 0, true), [load]);

  const { runs, total } = laidOut(holders.current, (holder, position) => {
    const node = holder.nodes.get(position)!;
    load(node.pointer, 0, node.path, depthOf(node.pointer), isFirstOf(holder, position, judge.current.isMap));
  });

  /** mayLoad: whether its page is asked for, if it is not there; not while everything only rushes by. */
  const row = (index: number, mayLoad = true): Row | null => {
    const run = runs[runAt(runs, index)];
    if (!run) return null;
    const position = run.first + index - run.at;
    const holder = holders.current.get(run.holder);
    if (!holder) return { holder: run.holder, position, depth: run.depth, isFirst: false, isOpen: false };
    const node = holder.nodes.get(position);
    if (!node && mayLoad) load(run.holder, Math.floor(position / PAGE), holder.path, run.depth, holder.isFirst);
    return {
      holder: run.holder,
      position,
      depth: run.depth,
      node,
      isFirst: isFirstOf(holder, position, judge.current.isMap),
      isOpen: holder.open.has(position),
    };
  };

  const toggle = ({ holder, position, node }: Row, wanted?: boolean) => {
    const open = holders.current.get(holder)?.open;
    if (!open || !node || node.count === 0) return;
    if (wanted ?? !open.has(position)) open.set(position, node.pointer);
    else open.delete(position);
    redraw();
  };

  /** Opens what is around a place; gives the place among its siblings, or null if it is not there. */
  const reveal = async (positions: number[]): Promise<Place | null> => {
    let pointer = "";
    let isFirst = true;
    for (const [depth, position] of positions.entries()) {
      const path = holders.current.get(pointer)?.path ?? "";
      await page(pointer, 0, path, depth, isFirst);
      await page(pointer, Math.floor(position / PAGE), path, depth, isFirst);
      for (let waited = 0; waited < 100 && !holders.current.get(pointer)?.nodes.has(position); waited += 1)
        await new Promise((done) => setTimeout(done, 50));
      const holder = holders.current.get(pointer);
      const node = holder?.nodes.get(position);
      if (!holder || !node) return null;
      if (depth === positions.length - 1) {
        if (isSource && node.count > 0) {
          judge.current.unfolded = node.pointer;
          holder.open.set(position, node.pointer);
        }
        redraw();
        return { holder: pointer, position };
      }
      isFirst = isFirstOf(holder, position, judge.current.isMap);
      holder.open.set(position, node.pointer);
      pointer = node.pointer;
      const inner = holders.current.get(pointer);
      if (!inner) await page(pointer, 0, node.path, depth + 1, isFirst);
    }
    return null;
  };

  /**
   * The number of a place's row now: it changes when anything above it is read, opened or closed. -1 if it is not
   * shown.
   */
  const indexOf = (place: Place | null): number => {
    const run =
      place &&
      runs.find(
        (one) => one.holder === place.holder && one.first <= place.position && place.position < one.first + one.length,
      );
    return run ? run.at + place.position - run.first : -1;
  };

  const foldAll = () => {
    for (const holder of holders.current.values()) holder.open.clear();
    redraw();
  };

  return { total, row, indexOf, toggle, reveal, foldAll, error, isLoading: holders.current.size === 0 };
}

function fetchPiece(cache: QueryClient, project: string, body: string, pointer: string, number: number) {
  return cache.fetchQuery({
    queryKey: ["tree", project, body, pointer, number],
    staleTime: Infinity,
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/bodies/{body_id}/tree", {
          params: {
            path: { project, body_id: body },
            query: { pointer, offset: number * PAGE, limit: PAGE, depth: 1 },
          },
        }),
      ),
  });
}
