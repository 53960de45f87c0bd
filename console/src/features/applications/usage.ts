import type { UsageItem } from "./applications";

export interface Hour {
  /** Milliseconds since 1970. */
  at: number;
  calls: number;
  failed: number;
}

export interface Total {
  what: string;
  calls: number;
  failed: number;
  /** Milliseconds of one call on the average, and those that the service took. */
  mean: number;
  service: number;
}

const HOUR = 3_600_000;

/** The last hours in their order, also those without any call. now: milliseconds since 1970. */
export function hoursOf(items: UsageItem[], now: number, count: number): Hour[] {
  const last = Math.floor(now / HOUR) * HOUR;
  const hours = Array.from({ length: count }, (_, at) => ({ at: last - (count - 1 - at) * HOUR, calls: 0, failed: 0 }));
  for (const item of items) {
    const hour = hours[count - 1 - Math.round((last - Date.parse(item.hour)) / HOUR)];
    if (hour) {
      hour.calls += item.calls;
      hour.failed += item.failed;
    }
  }
  return hours;
}

/** What was used, the most often called first. */
export function totalsOf(items: UsageItem[]): Total[] {
  const found = new Map<string, { calls: number; failed: number; busy: number; service: number }>();
  for (const item of items) {
    const held = found.get(item.what) ?? { calls: 0, failed: 0, busy: 0, service: 0 };
    found.set(item.what, {
      calls: held.calls + item.calls,
      failed: held.failed + item.failed,
      busy: held.busy + item.busy_ms,
      service: held.service + item.service_ms,
    });
  }
  return [...found]
    .map(([what, { calls, failed, busy, service }]) => ({
      what,
      calls,
      failed,
      mean: calls ? busy / calls : 0,
      service: calls ? service / calls : 0,
    }))
    .sort((one, other) => other.calls - one.calls);
}
