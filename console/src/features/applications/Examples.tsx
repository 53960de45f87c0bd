import { useState } from "react";
import type { Schemas } from "../../api/client";

const LANGUAGES = [
  ["http", "HTTP"],
  ["python", "Python"],
  ["typescript", "TypeScript"],
] as const;

/** A call ready to copy. */
export function Examples({ examples }: { examples: Schemas["CallExamples"] }) {
  const [language, setLanguage] = useState<(typeof LANGUAGES)[number][0]>("http");
  const [isCopied, setCopied] = useState(false);
  const text = examples[language];
  return (
    <section className="my-3">
      <div className="flex items-center gap-4 text-sm">
        {LANGUAGES.map(([key, title]) => (
          <button
            key={key}
            type="button"
            aria-pressed={language === key}
            className={`py-1 ${language === key ? "font-semibold underline underline-offset-4" : "opacity-80"}`}
            onClick={() => {
              setLanguage(key);
              setCopied(false);
            }}
          >
            {title}
          </button>
        ))}
        <button
          type="button"
          className="btn btn-ghost btn-xs ml-auto"
          onClick={() => void navigator.clipboard?.writeText(text).then(() => setCopied(true))}
        >
          {isCopied ? "Copied" : "Copy"}
        </button>
      </div>
      <pre className="overflow-x-auto rounded-field bg-base-200 p-3 font-mono text-xs">{text}</pre>
    </section>
  );
}
