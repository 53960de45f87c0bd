import { useState } from "react";
import { Link } from "react-router";
import { Dialog } from "../../ui/Dialog";
import { Heading } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { saveJson } from "../../ui/saving";
import { useExportFlow, useImportFlows } from "./flows";

/** The flow as an Arazzo document, with the OpenAPI documents that it refers to, and what they cannot say. */
export function SaveAsArazzo({ project, name }: { project: string; name: string }) {
  const made = useExportFlow(project, name);
  return (
    <>
      <button type="button" className="link text-xs" disabled={made.isPending} onClick={() => made.mutate()}>
        as Arazzo
      </button>
      {made.error && <span className="text-xs text-error">{made.error.message}</span>}
      {made.data && (
        <Dialog isWide label="The flow as an Arazzo document" onClose={() => made.reset()}>
          <Heading>The flow as an Arazzo document</Heading>
          <p className="mb-2 text-sm">It refers to the OpenAPI documents beside it by their names.</p>
          <ul className="mb-4 text-sm">
            {Object.entries({ [`${name}.arazzo.json`]: made.data.document, ...made.data.sources }).map(
              ([file, value]) => (
                <li key={file}>
                  <button type="button" className="link font-mono text-xs" onClick={() => saveJson(file, value)}>
                    {file}
                  </button>
                </li>
              ),
            )}
          </ul>
          {made.data.unsaid.length === 0 ? (
            <p className="text-sm">They say all of it.</p>
          ) : (
            <>
              <Heading>What they cannot say</Heading>
              <ul className="max-h-72 overflow-y-auto text-xs">
                {made.data.unsaid.map((one) => (
                  <li key={one.where + one.message} className="border-t border-base-300 py-1">
                    {one.message} <span className="font-mono opacity-75">{one.where}</span>
                  </li>
                ))}
              </ul>
            </>
          )}
        </Dialog>
      )}
    </>
  );
}

/** Makes drafts of the workflows in an Arazzo document. */
export function TakeArazzo({ project }: { project: string }) {
  const take = useImportFlows(project);
  const [isOpen, setIsOpen] = useState(false);
  return (
    <>
      <button type="button" className="link ml-2 text-sm" onClick={() => setIsOpen(true)}>
        Import an Arazzo document
      </button>
      {isOpen && (
        <Dialog
          isWide
          label="Import an Arazzo document"
          onClose={() => {
            setIsOpen(false);
            take.reset();
          }}
        >
          <Heading>Import an Arazzo document</Heading>
          <p className="mb-2 text-sm">
            Each of its workflows becomes a draft. Its sources are the services of the same names; import their OpenAPI
            documents first.
          </p>
          <input
            type="file"
            className="file-input file-input-sm"
            aria-label="The document, JSON or YAML"
            accept=".json,.yaml,.yml"
            onChange={(event) => {
              const file = event.target.files?.[0];
              if (file) void file.text().then((text) => take.mutate(text));
            }}
          />
          <ProblemAlert error={take.error} />
          {take.data?.map(({ flow, left_out }) => (
            <section key={flow.id} className="mt-3 text-sm">
              <p>
                <Link className="link font-medium" to={`/p/${project}/flows/${flow.name}`}>
                  {flow.title || flow.name}
                </Link>{" "}
                {flow.problems.length ? "is made, and is not ready yet." : "is made, and is ready."}
              </p>
              {left_out.length > 0 && (
                <ul className="max-h-60 overflow-y-auto text-xs">
                  {left_out.map((one) => (
                    <li key={one.where + one.message} className="border-t border-base-300 py-1">
                      Not taken: {one.message}. {one.hint}. <span className="font-mono opacity-75">{one.where}</span>
                    </li>
                  ))}
                </ul>
              )}
            </section>
          ))}
        </Dialog>
      )}
    </>
  );
}
