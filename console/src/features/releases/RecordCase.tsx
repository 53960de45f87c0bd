import { useState } from "react";
import { Link } from "react-router";
import { Problem } from "../../api/client";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useRecordFlow } from "./cases";

/** Makes a test case of a run of a flow: played again without a network, it is to ask for the same and end the same. */
export function RecordCase({ project, run }: { project: string; run: number }) {
  const record = useRecordFlow(project);
  const [name, setName] = useState("");
  const asksOfKeys = record.error instanceof Problem && record.error.document.where === "keys";
  if (record.data)
    return (
      <p role="status" className="mt-4 text-sm">
        Kept as the{" "}
        <Link className="link" to={`/p/${project}/cases`}>
          test case {record.data.name}
        </Link>
        .
      </p>
    );
  return (
    <form
      className="mt-4 flex flex-wrap items-center gap-2 text-sm"
      onSubmit={(event) => {
        event.preventDefault();
        record.mutate({ name, run });
      }}
    >
      <input
        className="input input-sm w-48 font-mono text-xs"
        aria-label="Name of the test case"
        placeholder="name of a test case"
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <button className="btn btn-sm" disabled={!name || record.isPending}>
        Keep this run as a test case
      </button>
      <ProblemAlert error={record.error} />
      {asksOfKeys &&
        (["mask", "keep"] as const).map((keys) => (
          <button key={keys} type="button" className="btn btn-sm" onClick={() => record.mutate({ name, run, keys })}>
            {keys === "mask" ? "Keep it with the keys masked" : "Keep it as it is"}
          </button>
        ))}
    </form>
  );
}
