import { useState } from "react";
import type { Schemas } from "../../api/client";
import { type Paging as Strategy, pagingWords, usePagingForms } from "../../ui/paging";
import { Heading } from "../../ui/parts";
import { SchemaForm } from "../../ui/SchemaForm";

interface Props {
  project: string;
  paging: Strategy | null | undefined;
  /** What the response shows of how the service pages. */
  guesses: Schemas["PagingGuessItem"][];
  readOnly: boolean;
  onPaging: (paging: Strategy | null) => void;
}

/** How the operation asks for further pages: as its response shows, or as somebody sets it. */
export function Paging({ project, paging, guesses, readOnly, onPaging }: Props) {
  const forms = usePagingForms(project);
  const [isOpen, setIsOpen] = useState(false);
  const form = forms.find((one) => one.type === paging?.type);
  const choose = (type: string) => {
    const chosen = forms.find((one) => one.type === type);
    if (!chosen) return onPaging(null);
    const required = chosen.fields.filter((one) => one.is_required).map((one) => [one.name, ""]);
    onPaging({ type, ...Object.fromEntries(required) } as Strategy);
  };
  return (
    <div className="mt-5 text-sm">
      <Heading>Pages</Heading>
      <p>
        {paging
          ? pagingWords(forms, paging)
          : guesses.length === 0
            ? "not decided: the first response that shows a way is followed"
            : ""}{" "}
        {!readOnly && (
          <button type="button" className="link text-xs" aria-expanded={isOpen} onClick={() => setIsOpen(!isOpen)}>
            {isOpen ? "done" : "set it"}
          </button>
        )}
      </p>
      {paging && !isOpen && (
        <ul className="mt-1 font-mono text-xs opacity-70">
          {Object.entries(paging)
            .filter(([name]) => name !== "type")
            .map(([name, value]) => (
              <li key={name}>
                {name.replaceAll("_", " ")} {String(value)}
              </li>
            ))}
        </ul>
      )}
      {!paging &&
        guesses.map((one) => (
          <p key={one.reason}>
            found: {one.reason}{" "}
            <button type="button" className="link text-accent" onClick={() => onPaging(one.paging)}>
              follow it
            </button>{" "}
            <button type="button" className="link" onClick={() => onPaging({ type: "one_response" })}>
              do not
            </button>
          </p>
        ))}
      {isOpen && (
        <div className="mt-2 border-l border-base-300 pl-3">
          <label className="mb-1 block text-xs" htmlFor="paging-strategy">
            Strategy
          </label>
          <select
            id="paging-strategy"
            className="select select-sm mb-2 w-full"
            value={paging?.type ?? ""}
            onChange={(e) => choose(e.target.value)}
          >
            <option value="">not decided</option>
            {forms.map((one) => (
              <option key={one.type} value={one.type}>
                {one.title}
              </option>
            ))}
          </select>
          {form && (
            <SchemaForm
              key={form.type}
              fields={form.fields}
              values={paging ?? {}}
              onValues={(values) => onPaging({ ...values, type: form.type } as Strategy)}
            />
          )}
        </div>
      )}
    </div>
  );
}
