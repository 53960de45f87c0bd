import { LoaderCircle } from "lucide-react";
import { useId, type ReactNode } from "react";

/** A small capital heading of a part of a page. */
export function Heading({ children, aside }: { children: ReactNode; aside?: ReactNode }) {
  return (
    <div className="mb-2 flex flex-wrap items-baseline gap-x-3 gap-y-1">
      <h2 className="text-xs font-semibold tracking-wider text-secondary uppercase">{children}</h2>
      {aside}
    </div>
  );
}

export function Waiting({ what }: { what: string }) {
  return (
    <p role="status" className="flex items-center gap-2 py-6 text-sm opacity-75">
      <LoaderCircle className="size-4 animate-spin" aria-hidden /> {what}
    </p>
  );
}

/** An honest empty state: what is not there, and what to do first. */
export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="rounded-box border border-dashed border-base-300 px-5 py-8 text-center">
      <p className="font-medium">{title}</p>
      <div className="mt-1 text-sm opacity-80">{children}</div>
    </div>
  );
}

export function Field({
  label,
  hint,
  problem,
  children,
  aside,
}: {
  label: string;
  hint?: string;
  problem?: string;
  aside?: ReactNode;
  children: (id: string) => ReactNode;
}) {
  const id = useId();
  return (
    <div className="mb-3">
      <label htmlFor={id} className="mb-1 flex items-baseline gap-2 text-sm font-medium">
        {label} {aside && <span className="text-xs font-normal opacity-70">{aside}</span>}
      </label>
      {children(id)}
      {problem ? (
        <p className="mt-1 text-xs text-error">{problem}</p>
      ) : (
        hint && <p className="mt-1 text-xs opacity-70">{hint}</p>
      )}
    </div>
  );
}

const TONES = {
  good: "text-success border-success/40",
  bad: "text-error border-error/40",
  plain: "border-base-300 opacity-80",
  busy: "text-info border-info/40",
} as const;

export function Tag({ tone = "plain", children }: { tone?: keyof typeof TONES; children: ReactNode }) {
  return (
    <span className={`inline-block rounded-full border px-2 py-0.5 text-xs whitespace-nowrap ${TONES[tone]}`}>
      {children}
    </span>
  );
}

/** completeness: of a feed's run that is done; one that did not see all rows is not plain "done". */
export function StateTag({ state, completeness = "" }: { state: string; completeness?: string }) {
  const isIncomplete = state === "done" && completeness === "incomplete";
  const tone = isIncomplete
    ? "bad"
    : state === "done"
      ? "good"
      : state === "failed"
        ? "bad"
        : ["running", "queued", "waiting"].includes(state)
          ? "busy"
          : "plain";
  return <Tag tone={tone}>{isIncomplete ? "not complete" : state}</Tag>;
}

export function when(text: string | null | undefined): string {
  return text ? new Date(text).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "medium" }) : "";
}

export function bytes(size: number | null): string {
  if (size === null) return "";
  return size < 1000 ? `${size} bytes` : size < 1e6 ? `${(size / 1e3).toFixed(1)} kB` : `${(size / 1e6).toFixed(1)} MB`;
}
