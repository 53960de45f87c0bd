import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ChevronDown, ChevronRight, Copy } from "lucide-react";
import { useCallback, useEffect, useRef, useState } from "react";
import { answer, api, type Schemas } from "../../api/client";
import { Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { takenPaths, type FieldType, type Plan } from "./plan";
import { usePointing } from "./context";
import { Find } from "./Find";
import { useNodes } from "./nodes";
import { type Place, type Row } from "./layout";
import { fromRow, generalPath, isXPath, wholePath } from "./paths";

const LINE = 20;

/** How values of the tree become fields. */
export interface Taking {
  lines: Schemas["OutlineItem"][];
  /** Objects whose keys are data. */
  maps: ReadonlySet<string>;
  plan: Plan | null;
  onTake: (path: string, type: FieldType, convert: Schemas["OutlineItem"]["convert"]) => void;
  onLeave: (field: string) => void;
  onRows: (path: string) => void;
}

interface Props {
  project: string;
  body: string;
  /** Left out where the tree is only looked at. */
  taking?: Taking;
  /** Shown at first (a JSON Pointer). */
  begin?: string | null;
  /** Asks where the values at a place went. */
  onWhereTo?: (pointer: string) => void;
}

const NO_MAPS: ReadonlySet<string> = new Set();

/** The response as a tree of any size: only the lines on the screen are there. */
export function Tree({ project, body, taking, begin, onWhereTo }: Props) {
  const { lit, point, ...pointing } = usePointing();
  const focus = pointing.focus ?? begin;
  const maps = taking?.maps ?? NO_MAPS;
  const isMap = useCallback((path: string) => maps.has(generalPath(path, maps)), [maps]);
  const nodes = useNodes(project, body, isMap, !taking);
  const scroller = useRef<HTMLDivElement>(null);
  const lines = useVirtualizer({
    count: nodes.total,
    getScrollElement: () => scroller.current,
    estimateSize: () => LINE,
    overscan: 20,
  });
  const [place, setPlace] = useState<Place | null>(null); // what the keyboard is on
  const at = nodes.indexOf(place);
  const asked = useRef(0); // places to be shown so far; only the last counts
  const isFollowed = useRef(false); // whether the place shown stays in the middle while what is above it is read
  const [text, setText] = useState("");
  const [number, setNumber] = useState(0);
  const [marked, setMarked] = useState<string | null>(null);
  const found = useQuery({
    queryKey: ["places", project, body, text],
    enabled: text !== "",
    staleTime: Infinity,
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(
        api.GET("/api/v1/projects/{project}/bodies/{body_id}/places", {
          params: { path: { project, body_id: body }, query: { text } },
        }),
      ),
  });
  const places = text ? (found.data?.items ?? []) : [];
  const chosen = places[number];

  const show = async (positions: Promise<number[]> | number[]) => {
    asked.current += 1;
    const mine = asked.current;
    const revealed = await nodes.reveal(await positions);
    if (!revealed || mine !== asked.current) return;
    isFollowed.current = true;
    setPlace(revealed);
  };
  const latest = useRef(show);
  latest.current = show;
  useEffect(() => {
    if (at < 0 || !isFollowed.current) return;
    // the rows are known to the list only after it was drawn with them
    const frame = requestAnimationFrame(() => lines.scrollToIndex(at, { align: "center" }));
    return () => cancelAnimationFrame(frame);
  }, [place, at, lines]);
  useEffect(() => {
    if (!chosen) return setMarked(null);
    setMarked(chosen.pointer);
    void latest.current(chosen.positions);
  }, [chosen]);
  useEffect(() => {
    if (!focus) return;
    const positions = answer(
      api.GET("/api/v1/projects/{project}/bodies/{body_id}/places", {
        params: { path: { project, body_id: body }, query: { pointer: focus } },
      }),
    ).then((one) => one.items[0]?.positions ?? []);
    latest.current(positions).catch(() => undefined);
  }, [focus, project, body]);

  const onKeyDown = (event: React.KeyboardEvent) => {
    const row = nodes.row(at);
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    isFollowed.current = false;
    if (event.target !== event.currentTarget) return;
    if (step) {
      const next = Math.max(0, Math.min(nodes.total - 1, at + step));
      setPlace(nodes.row(next));
      lines.scrollToIndex(next);
      point(nodes.row(next)?.node?.pointer ?? null);
    } else if (row && (event.key === "ArrowRight" || event.key === "ArrowLeft"))
      nodes.toggle(row, event.key === "ArrowRight");
    else return;
    event.preventDefault();
  };

  if (nodes.error) return <ProblemAlert error={nodes.error} />;
  if (nodes.isLoading) return <Waiting what="Reading the response" />;
  return (
    <>
      <div className="mb-1 flex items-center gap-3">
        <Find
          what="Find in the response"
          count={places.length}
          isAll={found.data?.is_all ?? true}
          number={number}
          onText={(next) => {
            setText(next);
            setNumber(0);
          }}
          onNumber={setNumber}
        />
        <button
          type="button"
          className="link ml-auto text-xs"
          onClick={() => {
            nodes.foldAll();
            setPlace(null);
          }}
        >
          fold all
        </button>
      </div>
      <div
        ref={scroller}
        role="tree"
        aria-label="The response"
        tabIndex={0}
        className="max-h-[70vh] min-h-40 overflow-auto font-mono text-xs lg:max-h-none lg:flex-1"
        onMouseLeave={() => point(null)}
        onKeyDown={onKeyDown}
        onWheel={() => (isFollowed.current = false)}
        onPointerDown={() => (isFollowed.current = false)}
      >
        <div className="relative w-full" style={{ height: lines.getTotalSize() }}>
          {lines.getVirtualItems().map((item) => {
            const row = nodes.row(item.index, !lines.isScrolling);
            return (
              <div
                key={row ? `${row.position} ${row.holder}` : item.key}
                className="absolute top-0 left-0 w-full"
                style={{ height: LINE, transform: `translateY(${item.start}px)` }}
              >
                {row?.node ? (
                  <Line
                    row={row}
                    taking={taking}
                    onWhereTo={onWhereTo}
                    isLit={row.node.pointer === lit || row.node.pointer === marked}
                    isAt={item.index === at}
                    onToggle={() => nodes.toggle(row)}
                  />
                ) : (
                  <span className="opacity-50" style={{ paddingLeft: `${(row?.depth ?? 0) + 1}rem` }}>
                    …
                  </span>
                )}
              </div>
            );
          })}
        </div>
      </div>
    </>
  );
}

interface LineProps {
  row: Row;
  taking: Taking | undefined;
  isLit: boolean;
  isAt: boolean;
  onToggle: () => void;
  onWhereTo: ((pointer: string) => void) | undefined;
}

function Line({ row, taking, isLit, isAt, onToggle, onWhereTo }: LineProps) {
  const { point } = usePointing();
  const { lines = [], plan = null, maps = NO_MAPS } = taking ?? {};
  const node = row.node!;
  // the text of an element with attributes is what the element itself is read as
  const general = generalPath(node.path, maps).replace(/\/text\(\)$/, "");
  const holds = node.kind === "object" || node.kind === "array";
  const outlineLine = lines.find((one) => one.path === general);
  const isXml = isXPath(node.path);
  const isNumber = /^\d+$/.test(node.name) && (isXml || node.path.endsWith(`[${node.name}]`));
  const whole = plan ? wholePath(plan.rows) : null;
  const isMap = maps.has(general);
  const isRowList = (node.kind === "array" || isMap) && whole === (isXml ? general : `${general}[*]`);
  const isRow = whole === general && !isRowList;
  const mayRepeat = node.kind === "array" || isMap ? node.count > 0 : isXml && node.kind === "object" && !isNumber;
  const relative = plan ? fromRow(general, plan.rows) : null;
  const field = relative && plan ? takenPaths(plan).get(relative) : undefined;
  const rowLists = isXml ? (lines.find((one) => one.path === whole)?.lists ?? 0) : 0;
  const canTake =
    relative !== null &&
    outlineLine?.type !== undefined &&
    outlineLine.type !== "" &&
    plan !== null &&
    outlineLine.lists <= rowLists;
  return (
    <div
      role="treeitem"
      aria-expanded={holds ? row.isOpen : undefined}
      aria-level={row.depth + 1}
      aria-posinset={row.position + 1}
      aria-selected={isLit}
      className={`group flex h-full items-center gap-2 rounded-selector pr-1 whitespace-nowrap ${isLit ? "bg-accent/20 outline outline-accent" : isAt ? "bg-base-200" : ""}`}
      style={{ paddingLeft: `${row.depth}rem` }}
      onMouseEnter={() => point(node.pointer)}
    >
      {holds ? (
        <button
          type="button"
          className="shrink-0 cursor-pointer"
          aria-label={`${row.isOpen ? "close" : "open"} ${node.name}`}
          onClick={onToggle}
        >
          {row.isOpen ? (
            <ChevronDown className="size-3.5" aria-hidden />
          ) : (
            <ChevronRight className="size-3.5" aria-hidden />
          )}
        </button>
      ) : (
        <span className="w-3.5 shrink-0" />
      )}
      <span className="min-w-0 truncate">
        <span className={isNumber ? "text-accent" : ""}>{isNumber && isXml ? Number(node.name) + 1 : node.name}</span>
        {holds ? (
          <span className="ml-2 opacity-60">
            {node.kind === "array" ? `list of ${node.count}` : row.isOpen ? "" : `${node.count} parts`}
          </span>
        ) : (
          <Value
            node={node}
            canTake={canTake}
            field={field}
            onToggle={() =>
              field
                ? taking!.onLeave(field)
                : taking!.onTake(relative!, outlineLine!.type as FieldType, outlineLine!.convert)
            }
          />
        )}
      </span>
      <CopyPath path={node.path} isShown={isAt} />
      <span className="ml-auto shrink-0 text-right text-[0.92em] opacity-75">
        {onWhereTo && node.pointer && (
          <button
            type="button"
            className={`link mr-2 ${isAt ? "" : "hidden"} group-focus-within:inline group-hover:inline`}
            onClick={() => onWhereTo(node.pointer)}
          >
            where it went
          </button>
        )}
        {isRowList && <span className="mr-2 text-accent">each is a row</span>}
        {mayRepeat && !isRow && !isRowList && lines.length > 0 && (
          <button
            type="button"
            className={`link mr-2 ${isAt ? "" : "hidden"} group-focus-within:inline group-hover:inline`}
            onClick={() => taking!.onRows(isXml ? general : `${general}[*]`)}
          >
            {node.kind === "array" || isMap ? "make these the rows" : "make this the row"}
          </button>
        )}
        {row.isFirst && outlineLine && !(isXml && (isNumber || (holds && outlineLine.type))) && note(outlineLine)}
      </span>
    </div>
  );
}

function CopyPath({ path, isShown }: { path: string; isShown: boolean }) {
  const [isCopied, setCopied] = useState(false);
  const copy = async () => {
    try {
      await navigator.clipboard.writeText(path);
      setCopied(true);
      setTimeout(() => setCopied(false), 1500);
    } catch {
      window.prompt("Its path", path); // where a page may not write to the clipboard
    }
  };
  return (
    <button
      type="button"
      className={`${isShown ? "" : "hidden"} shrink-0 cursor-pointer opacity-70 group-focus-within:inline group-hover:inline`}
      aria-label={`copy the path ${path}`}
      title={isCopied ? "copied" : `copy ${path}`}
      onClick={() => void copy()}
    >
      {isCopied ? <span className="text-success">copied</span> : <Copy className="size-3" aria-hidden />}
    </button>
  );
}

function Value({
  node,
  canTake,
  field,
  onToggle,
}: {
  node: Schemas["NodeItem"];
  canTake: boolean;
  field: string | undefined;
  onToggle: () => void;
}) {
  const colour = node.kind === "string" ? "text-success" : node.kind === "null" ? "opacity-60" : "text-info";
  const shown = (
    <span className={colour} title={node.text.length > 40 ? node.text : undefined}>
      {node.text.length > 200 ? `${node.text.slice(0, 200)}…` : node.text}
    </span>
  );
  if (!canTake) return <span className="ml-2">{shown}</span>;
  return (
    <button
      type="button"
      className="ml-2 cursor-pointer text-left hover:underline"
      title={field ? `taken as ${field}; click to leave it out` : "click to take it"}
      onClick={onToggle}
    >
      {shown}
      <span
        className={`ml-2 rounded-full px-1.5 ${field ? "bg-accent/15 text-accent" : "hidden border border-dashed border-base-content/30 opacity-70 group-hover:inline"}`}
      >
        {field ?? "take"}
      </span>
    </button>
  );
}

/** What samples say of a part, in a few words. */
function note(line: Schemas["OutlineItem"]): string {
  const whole =
    line.type === "decimal" && line.fractional > 0 && line.fractional < line.seen - line.nulls
      ? `whole in ${Math.round((100 * (line.seen - line.nulls - line.fractional)) / Math.max(1, line.seen - line.nulls))}%`
      : "";
  const range =
    line.lengths && line.lengths[0] !== line.lengths[1] ? `${line.lengths[0]} to ${line.lengths[1]} of them` : "";
  const kind = line.lengths ? range : line.key_count ? `${line.key_count} keys, which are data` : line.type;
  const there = line.presence < 1 ? `${Math.round(100 * (1 - line.presence))}% missing` : "";
  return [kind, whole, there, line.nulls ? `${line.nulls} null` : ""].filter(Boolean).join(" · ");
}
