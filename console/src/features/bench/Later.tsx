import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Heading } from "../../ui/parts";
import { useOperationForms } from "../../ui/paging";
import { SchemaForm } from "../../ui/SchemaForm";

type LaterAnswer = NonNullable<Schemas["OperationDocument"]["later"]>;

interface Props {
  project: string;
  later: LaterAnswer | null | undefined;
  onLater: (later: LaterAnswer | undefined) => void;
}

/** Whether the operation orders something that is ready later, and how that is looked after. */
export function Later({ project, later, onLater }: Props) {
  const form = useOperationForms(project)?.later;
  const [isOpen, setIsOpen] = useState(false);
  return (
    <div className="mt-5 text-sm">
      <Heading>When it answers</Heading>
      <p>
        {later ? "later: it orders something, which is looked after until it is ready" : "at once"}{" "}
        <button
          type="button"
          className="link text-xs"
          aria-label="Set when it answers"
          aria-expanded={isOpen}
          onClick={() => setIsOpen(!isOpen)}
        >
          {isOpen ? "done" : "set it"}
        </button>
      </p>
      {isOpen && form && (
        <div className="mt-2 border-l border-base-300 pl-3">
          <label className="mb-2 flex items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              checked={Boolean(later)}
              onChange={(event) => onLater(event.target.checked ? {} : undefined)}
            />
            it is ready later
          </label>
          {later && <SchemaForm fields={form.fields} values={{ ...later }} onValues={(values) => onLater(values)} />}
        </div>
      )}
    </div>
  );
}
