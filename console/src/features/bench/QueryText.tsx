import { autocompletion, type CompletionContext, type CompletionResult } from "@codemirror/autocomplete";
import type { EditorState } from "@codemirror/state";
import { graphqlLanguageSupport } from "cm6-graphql";
import { useCallback, useLayoutEffect, useRef } from "react";
import { CodeEditor } from "../../ui/editor/CodeEditor";
import { fieldPlaceAt, queryTo, rangeOf } from "../../ui/editor/graphql";
import { askFields } from "./bench";

interface Props {
  project: string;
  /** By whose schema fields are completed; empty for none. */
  definition: string;
  query: string;
  /** What is wrong with it, by line and column. */
  problems: { where: string; message: string }[];
  onQuery: (query: string) => void;
}

const NO_PROBLEMS: Props["problems"] = [];

/** The text of a GraphQL query: coloured, its fields completed by the schema, what is wrong shown where it is. */
export default function QueryText({ project, definition, query, problems, onQuery }: Props) {
  const source = useRef({ project, definition });
  useLayoutEffect(() => {
    source.current = { project, definition };
  });
  const shown = problems.length ? problems : NO_PROBLEMS;
  const diagnose = useCallback(
    (state: EditorState) =>
      shown.map((one) => ({ ...rangeOf(state, one.where), severity: "error" as const, message: one.message })),
    [shown],
  );
  const complete = async (context: CompletionContext): Promise<CompletionResult | null> => {
    const { project, definition } = source.current;
    const place = fieldPlaceAt(context.state, context.pos);
    if (!place || !definition || (place.from === context.pos && !context.explicit)) return null;
    const found = await askFields(project, definition, { query: queryTo(place), path: place.path }).catch(() => null);
    return (
      found && {
        from: place.from,
        options: found.fields.map((one) => ({ label: one.name, detail: one.type, info: one.description || undefined })),
        validFor: /^\w*$/,
      }
    );
  };
  return (
    <CodeEditor
      label="Query"
      text={query}
      readOnly={false}
      extensions={() => [graphqlLanguageSupport(), autocompletion({ override: [complete], icons: false })]}
      diagnose={diagnose}
      onText={onQuery}
    />
  );
}
