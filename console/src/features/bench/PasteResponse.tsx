import { useState } from "react";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { usePasted } from "./responses";
import { useBench } from "./context";

/** The side door: a response from a documentation or a file, pasted. */
export function PasteResponse() {
  const { project, draft, receive, named } = useBench();
  const pasted = usePasted(project);
  const [text, setText] = useState("");
  const paste = (content: string | File) => {
    const name = `${draft.item?.name ?? (named.name || "pasted")}-${Date.now().toString(36)}`;
    pasted.mutate({ name, content, operation: draft.item?.name ?? null }, { onSuccess: (made) => receive(made, name) });
  };
  return (
    <form
      className="mt-4"
      onSubmit={(event) => {
        event.preventDefault();
        paste(text);
      }}
    >
      <label htmlFor="pasted" className="text-sm font-medium">
        Or paste a response
      </label>
      <textarea
        id="pasted"
        className="textarea mt-1 h-40 w-full font-mono text-xs"
        placeholder={'JSON, XML, or one JSON value a line, such as\n{"trees": [{"number": "OLM-00412", "girth": 2.5}]}'}
        value={text}
        onChange={(event) => setText(event.target.value)}
      />
      <ProblemAlert error={pasted.error} />
      <button className="btn btn-sm mt-2" disabled={!text.trim() || pasted.isPending}>
        {pasted.isPending ? "Reading" : "Keep it as a sample and look"}
      </button>
      <label className="ml-3 text-sm">
        <span className="link cursor-pointer">or from a file</span>
        <input
          type="file"
          className="sr-only"
          aria-label="A response from a file"
          disabled={pasted.isPending}
          onChange={(event) => {
            const file = event.target.files?.[0];
            if (file) paste(file);
            event.target.value = "";
          }}
        />
      </label>
    </form>
  );
}
