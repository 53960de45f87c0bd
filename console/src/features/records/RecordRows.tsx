import { ArrowDown, ArrowUp } from "lucide-react";
import { useLayoutEffect, useRef, useState, type ReactNode } from "react";
import { Shown } from "../bench/RecordTable";
import { when } from "../../ui/parts";
import { aligned, isNumber, longestFraction, type Column, type Profile } from "./columns";
import { ColumnProfile } from "./ColumnProfile";
import { Picture } from "./Picture";
import { asText } from "../../ui/text";

export interface Row {
  id: string;
  data: Record<string, unknown>;
  gone_at?: string | null;
}

interface RowsProps<R extends Row> {
  /** In the order in which they are shown. */
  columns: Column[];
  rows: R[];
  /** The first field of the key, whose cell leads to the record. */
  lead: string;
  link: (row: R, children: ReactNode) => ReactNode;
  /** Where the picture of a field is. */
  pictureOf: (row: R, field: string) => string;
  sort: string;
  isSortable: (name: string) => boolean;
  onSort: (sort: string) => void;
  canFilter: (name: string) => boolean;
  /** What the values of a column look like; undefined while that is not known. */
  profileOf: (column: Column) => Profile | undefined;
  /** Adds filters. */
  onFilter: (filters: Record<string, string>) => void;
}

/** Records as a table: numbers aligned at the point, columns that can be widened, and what is beyond the edge told. */
export function RecordRows<R extends Row>(props: RowsProps<R>) {
  const { columns, rows, lead, link, pictureOf, sort, isSortable, onSort, canFilter, profileOf, onFilter } = props;
  const { box, hidden } = useHidden(columns.length);
  const longest = new Map(
    columns.filter(isNumber).map((one) => [one.name, longestFraction(rows.map((row) => row.data[one.name]))]),
  );
  return (
    <div className="relative">
      {hidden > 0 && (
        <p className="mb-1 text-right text-xs opacity-80" aria-live="polite">
          {hidden} more {hidden === 1 ? "column" : "columns"} to the right →
        </p>
      )}
      <div ref={box} className="overflow-x-auto" tabIndex={0} role="region" aria-label="Table of records">
        <table className="min-w-full text-xs">
          <thead>
            <tr className="text-left font-mono text-secondary">
              {columns.map((one) => (
                <th
                  key={one.name}
                  className="py-1.5 pr-4 align-bottom font-medium whitespace-nowrap"
                  aria-sort={sort === one.name ? "ascending" : sort === `-${one.name}` ? "descending" : undefined}
                >
                  <div
                    className={`max-w-96 min-w-16 resize-x overflow-hidden pr-3 ${isNumber(one) ? "text-right" : ""}`}
                  >
                    <Title column={one} sort={sort} isSortable={isSortable(one.name)} onSort={onSort} />
                  </div>
                </th>
              ))}
            </tr>
            <tr className="border-b border-base-300">
              {columns.map((one) => (
                <td key={one.name} className={`pr-4 pb-1.5 align-bottom ${isNumber(one) ? "text-right" : ""}`}>
                  <ColumnProfile
                    column={one}
                    profile={profileOf(one)}
                    onFilter={canFilter(one.name) ? onFilter : undefined}
                  />
                </td>
              ))}
            </tr>
          </thead>
          <tbody className="font-mono">
            {rows.map((row) => (
              <tr
                key={row.id}
                className={`border-b border-base-300 hover:bg-base-200 ${row.gone_at ? "opacity-60" : ""}`}
                title={row.gone_at ? `gone since ${when(row.gone_at)}` : undefined}
              >
                {columns.map((one) => (
                  <td
                    key={one.name}
                    className={`max-w-56 truncate py-1.5 pr-4 whitespace-nowrap ${isNumber(one) ? "text-right" : ""}`}
                  >
                    {lead === one.name ? (
                      link(row, String(row.data[one.name]))
                    ) : isNumber(one) && row.data[one.name] != null ? (
                      <span className="whitespace-pre">{aligned(row.data[one.name], longest.get(one.name) ?? 0)}</span>
                    ) : one.is_picture && row.data[one.name] ? (
                      <Picture
                        key={asText(row.data[one.name])}
                        address={asText(row.data[one.name])}
                        source={pictureOf(row, one.name)}
                        height={40}
                      />
                    ) : (
                      <Shown value={row.data[one.name]} isThere={one.name in row.data} />
                    )}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}

function Title({
  column,
  sort,
  isSortable,
  onSort,
}: {
  column: Column;
  sort: string;
  isSortable: boolean;
  onSort: (sort: string) => void;
}) {
  const { name, unit } = column;
  const words = (
    <>
      {name}
      {unit && <span className="opacity-70">{unit}</span>}
    </>
  );
  if (!isSortable) return <span className="inline-flex gap-1">{words}</span>;
  return (
    <button
      type="button"
      className="inline-flex cursor-pointer items-center gap-1 hover:underline"
      onClick={() => onSort(sort === name ? `-${name}` : sort === `-${name}` ? "" : name)}
    >
      {words}
      {sort === name && <ArrowUp className="size-3" aria-hidden />}
      {sort === `-${name}` && <ArrowDown className="size-3" aria-hidden />}
    </button>
  );
}

/** How many columns stand wholly or partly beyond the right edge. */
function useHidden(columns: number) {
  const box = useRef<HTMLDivElement>(null);
  const [hidden, setHidden] = useState(0);
  useLayoutEffect(() => {
    const found = box.current;
    if (!found) return;
    const count = () => {
      const edge = found.getBoundingClientRect().right + 1;
      const heads = [...found.querySelectorAll("th")];
      setHidden(heads.filter((head) => head.getBoundingClientRect().right - 16 > edge).length);
    };
    count();
    const watch = new ResizeObserver(count);
    watch.observe(found);
    if (found.firstElementChild) watch.observe(found.firstElementChild);
    found.addEventListener("scroll", count);
    return () => {
      watch.disconnect();
      found.removeEventListener("scroll", count);
    };
  }, [columns]);
  return { box, hidden };
}
