import type { Schemas } from "../../api/client";

type Call = Schemas["Call"];

/** What a call spent its time with, in its order: name, colour, and from when to when in milliseconds of the call. */
function partsOf(call: Call): [string, string, number, number][] {
  const at = call.timings;
  if (!at) return [];
  const first = at.first_byte ?? at.done;
  const parts: [string, string, number, number | null][] = [
    ["waited for limits", "fill-warning", -(at.waited ?? 0), 0],
    ["until the first byte", "fill-accent", 0, first],
    ["until the last byte", "fill-accent/60", first, at.done],
    ["read and mapped", "fill-info", at.done, at.read ?? null],
    ["waited to be kept", "fill-base-content/20", at.read ?? at.done, at.kept ?? null],
  ];
  return parts.flatMap(([name, colour, from, until]) =>
    until !== null && until > from ? [[name, colour, from, until] as [string, string, number, number]] : [],
  );
}

/** The span of time of some calls: from when to when, in milliseconds since 1970. */
export function spanOf(calls: Call[]): [number, number] {
  const starts = calls.map((call) => Date.parse(call.at) - (call.timings?.waited ?? 0));
  const ends = calls.map((call) => Date.parse(call.at) + (call.timings?.kept ?? call.timings?.done ?? 0));
  return [Math.min(...starts), Math.max(...ends, Math.min(...starts) + 1)];
}

/** One call on the time axis of its run. */
export function CallBar({ call, span: [from, until] }: { call: Call; span: [number, number] }) {
  const parts = partsOf(call);
  const place = (time: number) => ((Date.parse(call.at) + time - from) / (until - from)) * 100;
  const words = parts.map(([name, , start, end]) => `${name} ${(end - start).toFixed(0)} ms`).join(", ");
  return (
    <svg viewBox="0 0 100 6" preserveAspectRatio="none" className="h-2.5 w-full" role="img">
      <title>{words}</title>
      <rect x="0" y="2.7" width="100" height="0.6" className="fill-base-300" />
      {parts.map(([name, colour, start, end]) => (
        <rect
          key={name}
          x={place(start)}
          y={name === "waited to be kept" ? 2 : 0}
          width={Math.max(0.3, place(end) - place(start))}
          height={name === "waited to be kept" ? 2 : 6}
          className={colour}
        />
      ))}
    </svg>
  );
}

/** What the colours of the bars stand for. */
export function CallKey() {
  const parts = [
    ["waited for limits", "bg-warning"],
    ["first byte", "bg-accent"],
    ["last byte", "bg-accent/60"],
    ["read and mapped", "bg-info"],
    ["waited to be kept", "bg-base-content/20"],
  ];
  return (
    <span className="flex flex-wrap gap-x-3 text-xs opacity-80">
      {parts.map(([name, colour]) => (
        <span key={name} className="inline-flex items-center gap-1">
          <span className={`inline-block size-2 ${colour}`} /> {name}
        </span>
      ))}
    </span>
  );
}
