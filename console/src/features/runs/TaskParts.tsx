/** A value of a run as JSON. */
export function Value({ title, value }: { title?: string; value: unknown }) {
  return (
    <div className="min-w-0">
      {title && <p className="mb-0.5 opacity-75">{title}</p>}
      <pre className="max-h-80 overflow-auto rounded-field bg-base-200 p-2 font-mono text-xs break-all whitespace-pre-wrap">
        {JSON.stringify(value, null, 2)}
      </pre>
    </div>
  );
}

/** How long something took, in words. */
export function seconds(milliseconds: number): string {
  return milliseconds < 10_000 ? `${milliseconds.toFixed(0)} ms` : `${(milliseconds / 1000).toFixed(0)} s`;
}
