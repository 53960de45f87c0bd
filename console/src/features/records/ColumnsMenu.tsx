import { ArrowDown, ArrowUp, Columns3 } from "lucide-react";
import { useState } from "react";
import type { Column } from "./columns";

interface Choice {
  order: string[];
  hidden: string[];
}

/** The columns that are shown of a record type, in an order; remembered in this browser. */
export function useColumns(project: string, type: string, fields: Column[]) {
  const place = `rondine-columns:${project}/${type}`;
  const [choice, setChoice] = useState<Choice>(() => read(place));
  const set = (next: Choice) => {
    setChoice(next);
    try {
      localStorage.setItem(place, JSON.stringify(next));
    } catch {
      // it is only not remembered
    }
  };
  const known = [...choice.order.filter((name) => fields.some((one) => one.name === name))];
  const names = [...known, ...fields.map((one) => one.name).filter((name) => !known.includes(name))];
  const ordered = names.flatMap((name) => fields.filter((one) => one.name === name));
  return {
    ordered,
    shown: ordered.filter((one) => !choice.hidden.includes(one.name)),
    hidden: choice.hidden,
    toggle: (name: string) =>
      set({
        order: names,
        hidden: choice.hidden.includes(name) ? choice.hidden.filter((one) => one !== name) : [...choice.hidden, name],
      }),
    move: (name: string, by: number) => {
      const at = names.indexOf(name);
      const order = names.filter((one) => one !== name);
      order.splice(Math.max(0, at + by), 0, name);
      set({ order, hidden: choice.hidden });
    },
    reset: () => set({ order: [], hidden: [] }),
  };
}

function read(place: string): Choice {
  try {
    const found: unknown = JSON.parse(localStorage.getItem(place) ?? "null");
    if (typeof found === "object" && found !== null && "order" in found && "hidden" in found) return found as Choice;
  } catch {
    // as if nothing was remembered
  }
  return { order: [], hidden: [] };
}

/** Which columns are shown, and in which order. */
export function ColumnsMenu({ columns }: { columns: ReturnType<typeof useColumns> }) {
  const [isOpen, setOpen] = useState(false);
  return (
    <div className="relative">
      <button type="button" className="btn btn-xs" aria-expanded={isOpen} onClick={() => setOpen(!isOpen)}>
        <Columns3 className="size-3.5" aria-hidden /> Columns
        {columns.hidden.length > 0 && ` (${columns.hidden.length} hidden)`}
      </button>
      {isOpen && (
        <div className="absolute right-0 z-30 mt-1 max-h-80 w-64 overflow-y-auto rounded-box border border-base-300 bg-base-100 p-2 shadow-lg">
          <ul className="text-xs">
            {columns.ordered.map((one) => (
              <li key={one.name} className="flex items-center gap-1 py-0.5">
                <label className="flex flex-1 items-center gap-2 font-mono">
                  <input
                    type="checkbox"
                    className="checkbox checkbox-xs"
                    checked={!columns.hidden.includes(one.name)}
                    onChange={() => columns.toggle(one.name)}
                  />
                  {one.name}
                </label>
                <button
                  type="button"
                  className="btn btn-ghost btn-xs"
                  aria-label={`${one.name} further left`}
                  onClick={() => columns.move(one.name, -1)}
                >
                  <ArrowUp className="size-3" aria-hidden />
                </button>
                <button
                  type="button"
                  className="btn btn-ghost btn-xs"
                  aria-label={`${one.name} further right`}
                  onClick={() => columns.move(one.name, 1)}
                >
                  <ArrowDown className="size-3" aria-hidden />
                </button>
              </li>
            ))}
          </ul>
          <button type="button" className="link mt-1 text-xs" onClick={columns.reset}>
            all, in the record type's order
          </button>
        </div>
      )}
    </div>
  );
}
