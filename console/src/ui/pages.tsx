import { useInfiniteQuery, type QueryKey } from "@tanstack/react-query";
import { ProblemAlert } from "./ProblemAlert";

interface PageOf<Item> {
  items: Item[];
  /** What asks for the page after it; null at the end. */
  next: string | null;
}

export interface Paged<Item> {
  /** Those that were asked for so far. */
  items: Item[];
  isPending: boolean;
  error: Error | null;
  hasMore: boolean;
  isAsking: boolean;
  more: () => void;
}

/** A list of the service's, page by page as they are wanted. */
export function usePages<Item>(
  queryKey: QueryKey,
  ask: (after: string | undefined) => Promise<PageOf<Item>>,
  options: { enabled?: boolean } = {},
): Paged<Item> {
  const found = useInfiniteQuery({
    ...options,
    queryKey: [...queryKey, "pages"],
    queryFn: ({ pageParam }) => ask(pageParam),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (before) => before,
  });
  return {
    items: found.data?.pages.flatMap((page) => page.items) ?? [],
    isPending: found.isPending,
    error: found.error,
    hasMore: found.hasNextPage,
    isAsking: found.isFetchingNextPage,
    more: () => void found.fetchNextPage(),
  };
}

/** What asks for one of the largest pages that the service gives. */
export interface LargePage {
  after: string | undefined;
  limit: 500;
}

/** All items of a list, for what has to know every one of them. */
export async function everyItem<Item>(ask: (page: LargePage) => Promise<PageOf<Item>>): Promise<Item[]> {
  const items: Item[] = [];
  let after: string | undefined;
  do {
    const page = await ask({ after, limit: 500 });
    items.push(...page.items);
    after = page.next ?? undefined;
  } while (after !== undefined);
  return items;
}

/** Asks for the next page of a list, where there is one. what: of which there are more. */
export function More({ list, what }: { list: Paged<unknown>; what: string }) {
  return (
    <>
      <ProblemAlert error={list.error} />
      {list.hasMore && (
        <button type="button" className="btn btn-sm mt-3" disabled={list.isAsking} onClick={list.more}>
          {list.isAsking ? "Reading more" : `Show more ${what}`}
        </button>
      )}
    </>
  );
}
