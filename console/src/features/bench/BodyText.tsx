import { useInfiniteQuery } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef, useState } from "react";
import { answer, api } from "../../api/client";
import { bytes, Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { Find } from "./Find";

const LINE = 16;
/** The width of a character of the text, in pixels. */
const CHARACTER = 7.23;
/** Characters that are shown at most; the rest is in the file. */
const MOST = 16_000_000;

/** The response as it came: of any length, its lines broken where the page ends. */
export function BodyText({ project, body }: { project: string; body: string }) {
  const pieces = useInfiniteQuery({
    queryKey: ["text", project, body],
    staleTime: Infinity,
    initialPageParam: 0,
    queryFn: ({ pageParam }) =>
      answer(
        api.GET("/api/v1/projects/{project}/bodies/{body_id}/text", {
          params: { path: { project, body_id: body }, query: { offset: pageParam } },
        }),
      ),
    getNextPageParam: (last, all) => {
      const held = all.reduce((sum, one) => sum + one.text.length, 0);
      return last.is_whole || held >= MOST ? undefined : all.reduce((sum, one) => sum + characters(one.text), 0);
    },
  });
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = pieces;
  useEffect(() => {
    if (hasNextPage && !isFetchingNextPage) void fetchNextPage();
  }, [hasNextPage, isFetchingNextPage, fetchNextPage]);
  const text = useMemo(() => (pieces.data?.pages ?? []).map((one) => one.text).join(""), [pieces.data]);
  if (pieces.isPending) return <Waiting what="Reading" />;
  if (pieces.error) return <ProblemAlert error={pieces.error} />;
  return (
    <>
      <Lines text={text} />
      {!hasNextPage && !pieces.data.pages.at(-1)!.is_whole && (
        <p className="text-xs opacity-75">
          This is the beginning of {bytes(pieces.data.pages[0]!.size)}; save it to a file for the rest.
        </p>
      )}
    </>
  );
}

function Lines({ text }: { text: string }) {
  const scroller = useRef<HTMLPreElement>(null);
  const [width, setWidth] = useState(80);
  useEffect(() => {
    const observer = new ResizeObserver(
      ([entry]) => entry && setWidth(Math.max(20, Math.floor(entry.contentRect.width / CHARACTER) - 1)),
    );
    if (scroller.current) observer.observe(scroller.current);
    return () => observer.disconnect();
  }, []);
  const starts = useMemo(() => broken(text, width), [text, width]);
  const lines = useVirtualizer({
    count: starts.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => LINE,
    overscan: 30,
  });
  const [wanted, setWanted] = useState("");
  const [number, setNumber] = useState(0);
  const places = useMemo(() => placesIn(text, wanted), [text, wanted]);
  const place = places[number];
  useEffect(() => {
    if (place !== undefined) lines.scrollToIndex(lineAt(starts, place), { align: "center" });
  }, [place, starts, lines]);
  return (
    <>
      <div className="mb-1">
        <Find
          what="Find in the text"
          count={places.length}
          isAll={places.length < MOST_PLACES}
          number={number}
          onText={(next) => {
            setWanted(next);
            setNumber(0);
          }}
          onNumber={setNumber}
        />
      </div>
      <pre
        ref={scroller}
        aria-label="The response as text"
        className="max-h-[70vh] min-h-40 overflow-auto font-mono text-xs leading-4 lg:max-h-none lg:flex-1"
      >
        <div className="relative w-full" style={{ height: lines.getTotalSize() }}>
          {lines.getVirtualItems().map((item) => {
            const from = starts[item.index]!;
            const to = starts[item.index + 1] ?? text.length;
            const line = text.slice(from, to).replace(/\r?\n$/, "");
            const mark =
              place !== undefined && place < to && place + wanted.length > from
                ? ([Math.max(0, place - from), place + wanted.length - from] as const)
                : null;
            return (
              <div
                key={item.key}
                className="absolute top-0 left-0 w-full whitespace-pre"
                style={{ height: LINE, transform: `translateY(${item.start}px)` }}
              >
                {mark ? (
                  <>
                    {line.slice(0, mark[0])}
                    <mark className="bg-accent/30 text-inherit">{line.slice(...mark)}</mark>
                    {line.slice(mark[1])}
                  </>
                ) : (
                  line
                )}
              </div>
            );
          })}
        </div>
      </pre>
    </>
  );
}

/** How many there are as the service counts them: halves of pairs (UTF-16) are one together. */
function characters(text: string): number {
  return text.length - (text.match(/[\ud800-\udbff]/g)?.length ?? 0);
}

/** Where lines of at most this many characters begin. */
function broken(text: string, width: number): number[] {
  const starts = [0];
  for (let at = 0; at < text.length;) {
    const end = text.indexOf("\n", at);
    const next = end < 0 ? text.length : end + 1;
    while (next - at > width + 1) starts.push((at += width));
    at = next;
    if (at < text.length) starts.push(at);
  }
  return starts;
}

const MOST_PLACES = 10_000;

function placesIn(text: string, wanted: string): number[] {
  const found: number[] = [];
  if (!wanted) return found;
  const all = text.toLowerCase();
  const one = wanted.toLowerCase();
  for (let at = all.indexOf(one); at >= 0 && found.length < MOST_PLACES; at = all.indexOf(one, at + one.length))
    found.push(at);
  return found;
}

function lineAt(starts: number[], place: number): number {
  let low = 0;
  let high = starts.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (starts[middle]! <= place) low = middle;
    else high = middle - 1;
  }
  return low;
}
