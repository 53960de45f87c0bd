import { asText } from "./text";
import { Problem } from "../api/client";
import { Advice } from "./Advice";

/** What went wrong, where, and what to do. */
export function ProblemAlert({ error, children }: { error: unknown; children?: React.ReactNode }) {
  if (!error) return null;
  const document = error instanceof Problem ? error.document : undefined;
  const several = document && document.problems.length > 1 ? document.problems : [];
  return (
    <div role="alert" className="border-l-4 border-error bg-error/8 px-3 py-2 text-sm">
      <p className="font-medium text-error">
        {document?.detail ?? (error instanceof Error ? error.message : asText(error))}
      </p>
      {document?.where && <p className="font-mono text-xs opacity-80">{document.where}</p>}
      {document?.hint && (
        <p className="mt-0.5">
          <Advice hint={document.hint} />
        </p>
      )}
      {several.length > 0 && (
        <ul className="mt-1 list-disc pl-5">
          {several.map((one) => (
            <li key={one.where + one.message}>
              <span className="font-mono text-xs">{one.where}</span> {one.message}
              {one.hint && <span className="opacity-80"> ({one.hint})</span>}
            </li>
          ))}
        </ul>
      )}
      {children}
    </div>
  );
}
