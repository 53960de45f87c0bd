import { type CSSProperties, Fragment, type KeyboardEvent, type PointerEvent, type ReactNode, useState } from "react";

interface Props {
  /** Under which the widths are kept in this browser. */
  name: string;
  /** What each pane is, for who hears it. */
  labels: string[];
  /** Widths at first, in percent, of all panes but the last, which takes the rest. */
  widths: number[];
  children: ReactNode[];
}

/** Percent that a pane has at least. */
const LEAST = 12;

/**
 * Panes side by side with a separator between each two: dragged, moved by the arrow keys, put back by a double click.
 * On a narrow screen they stand below each other.
 */
export function Panes({ name, labels, widths, children }: Props) {
  const [kept, setKept] = useState<Record<string, number[]>>({});
  const shown = kept[name] ?? stored(name, widths.length) ?? widths;
  const keep = (next: number[] | null) => {
    setKept({ ...kept, [name]: next ?? widths });
    if (next) localStorage.setItem(keyOf(name), JSON.stringify(next));
    else localStorage.removeItem(keyOf(name));
  };
  const move = (at: number, width: number) => {
    const others = shown.reduce((sum, one, number) => (number === at ? sum : sum + one), 0);
    const next = [...shown];
    next[at] = Math.round(Math.min(Math.max(width, LEAST), 100 - LEAST - others) * 10) / 10;
    keep(next);
  };
  const drag = (at: number, event: PointerEvent<HTMLDivElement>) => {
    if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
    const { left, width } = event.currentTarget.parentElement!.getBoundingClientRect();
    const before = shown.slice(0, at).reduce((sum, one) => sum + one, 0);
    move(at, ((event.clientX - left) / width) * 100 - before);
  };
  const press = (at: number, event: KeyboardEvent) => {
    const step = { ArrowLeft: -2, ArrowRight: 2 }[event.key];
    if (!step) return;
    event.preventDefault();
    move(at, shown[at]! + step);
  };
  const columns = [...shown.map((width) => `minmax(0, ${width}%) 1px`), "minmax(0, 1fr)"].join(" ");
  return (
    <div
      className="grid min-h-0 flex-1 divide-y divide-base-300 lg:grid-cols-(--columns) lg:divide-y-0"
      style={{ "--columns": columns } as CSSProperties}
    >
      {children.map((child, at) => (
        <Fragment key={labels[at]}>
          {at > 0 && (
            <div
              role="separator"
              tabIndex={0}
              aria-orientation="vertical"
              aria-label={`Width of ${labels[at - 1]}`}
              aria-valuenow={shown[at - 1]}
              aria-valuemin={LEAST}
              aria-valuemax={100 - LEAST}
              title="Drag it to change the widths; a double click puts them back"
              className="relative z-10 hidden cursor-col-resize bg-base-300 outline-none before:absolute before:inset-y-0 before:-left-1 before:w-2.5 hover:bg-accent focus-visible:bg-accent lg:block"
              onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
              onPointerMove={(event) => drag(at - 1, event)}
              onKeyDown={(event) => press(at - 1, event)}
              onDoubleClick={() => keep(null)}
            />
          )}
          {child}
        </Fragment>
      ))}
    </div>
  );
}

function keyOf(name: string): string {
  return `panes ${name}`;
}

/** The widths kept in this browser, null if there are none that fit. */
function stored(name: string, count: number): number[] | null {
  try {
    const found: unknown = JSON.parse(localStorage.getItem(keyOf(name)) ?? "null");
    const fits = Array.isArray(found) && found.length === count && found.every((one) => Number.isFinite(one));
    return fits ? (found as number[]) : null;
  } catch {
    return null;
  }
}
