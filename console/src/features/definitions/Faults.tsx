import type { Schemas } from "../../api/client";

type Line = Schemas["ProblemItem"];

/** What is wrong with a definition, each with its place; folded, as the rest is sound. */
export function Faults({ leftOut, warnings }: { leftOut: Line[]; warnings: Line[] }) {
  return (
    <>
      <List title="left out" tone="border-error" lines={leftOut} isOpen />
      <List title="to know" tone="border-warning" lines={warnings} />
    </>
  );
}

function List({ title, tone, lines, isOpen }: { title: string; tone: string; lines: Line[]; isOpen?: boolean }) {
  if (lines.length === 0) return null;
  return (
    <details className={`mb-3 border-l-2 pl-3 text-sm ${tone}`} open={isOpen}>
      <summary className="cursor-pointer">
        {lines.length} {title}
      </summary>
      <ul className="mt-1 max-h-64 overflow-auto">
        {lines.slice(0, 300).map((one, number) => (
          <li key={number} className="py-1">
            {one.message}
            {one.hint && <span className="opacity-80"> · {one.hint}</span>}
            <span className="block font-mono text-xs break-all opacity-75">{one.where}</span>
          </li>
        ))}
      </ul>
    </details>
  );
}
