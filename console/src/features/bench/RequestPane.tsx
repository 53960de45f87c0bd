import { Field, Heading } from "../../ui/parts";
import { useBench } from "./context";
import { Describe } from "./Describe";
import { Condition, Inputs } from "./Inputs";
import { Paging } from "./Paging";
import { Sending } from "./Sending";

/** Left: the inputs with their meaning, the request as it will be sent, and the button that sends it. */
export function RequestPane() {
  const { project, draft, change, mayTry } = useBench();
  const { document, isDescribing } = draft;
  return (
    <div className="flex min-h-0 flex-col">
      <div className="min-h-0 flex-1 p-3 lg:overflow-auto">
        <Heading
          aside={
            <button
              type="button"
              className="link text-xs"
              onClick={() => change({ type: "set", to: { isDescribing: !isDescribing } })}
            >
              {isDescribing ? "done" : "describe"}
            </button>
          }
        >
          Request
        </Heading>
        {document.documentation && (
          <p className="mb-2 text-xs">
            <a className="link" href={document.documentation} target="_blank" rel="noreferrer">
              the service's documentation of it
            </a>
          </p>
        )}
        {!draft.service && (
          <Field
            label="Base address"
            hint="a one-off: sent without a connection and without signing in, until it is kept as a service"
          >
            {(id) => (
              <input
                id={id}
                className="input w-full font-mono text-xs"
                placeholder="https://register.example"
                value={draft.base}
                onChange={(e) => change({ type: "set", to: { base: e.target.value } })}
              />
            )}
          </Field>
        )}
        {isDescribing && <Describe />}
        <Inputs />
        <Condition />
        <Paging
          project={project}
          paging={document.paging}
          guesses={draft.response?.paging ?? []}
          readOnly={!mayTry}
          onPaging={(paging) => change({ type: "set", to: { document: { ...document, paging } } })}
        />
      </div>
      <Sending />
    </div>
  );
}
