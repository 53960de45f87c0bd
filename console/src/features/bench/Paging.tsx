import { useState } from "react";
import type { Schemas } from "../../api/client";
import { KindForm } from "../../ui/KindForm";
import { type Paging as Strategy, pagingWords, usePagingForms } from "../../ui/paging";
import { Heading } from "../../ui/parts";

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
          <KindForm
            id="paging-strategy"
            label="Strategy"
            none="not decided"
            forms={forms}
            value={paging}
            onValue={onPaging}
          />
        </div>
      )}
    </div>
  );
}
