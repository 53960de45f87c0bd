import type { Schemas } from "../../api/client";
import { asText } from "../../ui/text";

/** What a table of records shows of a column: numbers aligned at the point, and a profile of its values. */

export interface Column {
  name: string;
  type: string;
  unit?: string;
  /** Its texts are addresses of pictures. */
  is_picture?: boolean;
}

export interface Profile {
  rows: number;
  missing: number;
  distinct: number;
  /** The smallest and the largest, of columns that have an order; texts as they are. */
  least?: string;
  most?: string;
  bars: Bar[];
}

/** from, to: of a filter that leaves these rows; equal: likewise. */
export interface Bar {
  label: string;
  count: number;
  equal?: string;
  from?: string;
  to?: string;
}

const NUMBERS = ["integer", "decimal"];
const BARS = 8;

export const isNumber = (column: Column) => NUMBERS.includes(column.type);

function fraction(text: string): number {
  const point = text.indexOf(".");
  return point < 0 ? 0 : text.length - point - 1;
}

/** The digits behind the point that the longest of these numbers has. */
export function longestFraction(values: unknown[]): number {
  return Math.max(0, ...values.map((value) => (value == null ? 0 : fraction(asText(value)))));
}

/** A number with blanks behind it, so that in a fixed-width font all points stand below each other. */
export function aligned(value: unknown, longest: number): string {
  const text = asText(value);
  const own = fraction(text);
  const blanks = longest - own + (own === 0 && longest > 0 ? 1 : 0);
  return text + "\u00a0".repeat(Math.max(0, blanks));
}

/** Of all records that the filters leave, as the service has counted them. */
export function countedProfile(records: number, column: Schemas["FieldProfileShown"]): Profile {
  return {
    rows: records,
    missing: column.missing,
    distinct: column.distinct,
    least: column.least ?? undefined,
    most: column.most ?? undefined,
    bars: column.parts.map(({ least, most, count }) =>
      least === null || most === null
        ? { label: "none", count }
        : column.by === "value"
          ? { label: least, count, equal: least }
          : { label: least === most ? least : `${least} to ${most}`, count, from: least, to: most },
    ),
  };
}

/** Of the rows that are shown. */
export function profileOf(rows: Record<string, unknown>[], column: Column): Profile {
  const values = rows.map((row) => row[column.name]).filter((value) => value != null);
  const texts = values.map((value) => asText(value));
  const counts = new Map<string, number>();
  for (const text of texts) counts.set(text, (counts.get(text) ?? 0) + 1);
  const profile: Profile = { rows: rows.length, missing: rows.length - values.length, distinct: counts.size, bars: [] };
  if (texts.length === 0 || column.type === "json") return profile;
  const sorted = isNumber(column) ? [...texts].sort((a, b) => Number(a) - Number(b)) : [...texts].sort();
  profile.least = sorted[0];
  profile.most = sorted[sorted.length - 1];
  const isRange = (isNumber(column) || column.type === "date" || column.type === "datetime") && counts.size > BARS;
  profile.bars = isRange ? ranges(sorted, column) : commonest(counts);
  return profile;
}

function commonest(counts: Map<string, number>): Bar[] {
  const found = [...counts].sort((a, b) => b[1] - a[1]);
  return found.slice(0, BARS).map(([text, count]) => ({ label: text, count, equal: text }));
}

/** Ranges of equal width from the least to the most. sorted: by value. */
function ranges(sorted: string[], column: Column): Bar[] {
  const place = (text: string) => (isNumber(column) ? Number(text) : Date.parse(text));
  const least = place(sorted[0] ?? "0");
  const width = (place(sorted[sorted.length - 1] ?? "0") - least) / BARS || 1;
  const bars: Bar[] = [];
  for (const text of sorted) {
    const at = Math.min(BARS - 1, Math.floor((place(text) - least) / width));
    const bar = (bars[at] ??= { label: text, count: 0, from: text, to: text });
    bar.count += 1;
    bar.to = text;
    bar.label = bar.from === text ? text : `${bar.from} to ${text}`;
  }
  return Array.from({ length: BARS }, (_, at) => bars[at] ?? { label: "none", count: 0 });
}
