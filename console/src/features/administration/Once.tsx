import { useState } from "react";

/** A secret that is shown this once, to be copied. */
export function Once({ what, text }: { what: string; text: string }) {
  const [isCopied, setCopied] = useState(false);
  const copy = () =>
    void navigator.clipboard?.writeText(text).then(
      () => setCopied(true),
      () => setCopied(false),
    );
  return (
    <div role="status" className="my-2 max-w-2xl border-l-4 border-success bg-success/8 px-3 py-2 text-sm">
      <p>{what} is shown this once. Copy it now.</p>
      <p className="mt-1 flex items-center gap-2">
        <code className="min-w-0 font-mono text-xs break-all select-all">{text}</code>
        <button type="button" className="btn btn-ghost btn-xs" onClick={copy}>
          {isCopied ? "Copied" : "Copy"}
        </button>
      </p>
    </div>
  );
}
