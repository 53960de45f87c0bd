import { useState } from "react";
import { Heading, Tag } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { asText, asTexts } from "../../ui/text";
import { SavedInputs } from "../releases/SavedInputs";
import { Answer, CallerField, InputField, SameKey } from "./TryIt";
import { indented, isOver, useFlowRun, useTryFlow, type At, type FlowRun, type UsableFlow } from "./use";

/** A form that runs a flow as the application does. */
export function TryFlow({ at, flow, namesCaller }: { at: At; flow: UsableFlow; namesCaller: boolean }) {
  const call = useTryFlow(at, flow.name);
  const [values, setValues] = useState<Record<string, string>>(() =>
    Object.fromEntries(flow.inputs.map((one) => [one.name, asText(one.try_value ?? "")])),
  );
  const [caller, setCaller] = useState("");
  // as of an operation: a second click asks for the same again, which is run once
  const [key, setKey] = useState(() => crypto.randomUUID() as string);
  const begun = call.data?.status === 202 ? (JSON.parse(call.data.text) as FlowRun) : null;
  return (
    <section>
      <Heading>Try it</Heading>
      <form
        className="mb-3 flex flex-wrap items-end gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          const given = Object.entries(values).filter(([, value]) => value !== "");
          call.mutate({ inputs: Object.fromEntries(given), key: flow.writes ? key : "", caller });
        }}
      >
        <SavedInputs
          project={at.project}
          names={flow.inputs.map((one) => one.name)}
          onChoose={(saved) => {
            setValues({ ...values, ...asTexts(saved) });
            setKey(crypto.randomUUID());
          }}
        />
        {flow.inputs.map((one) => (
          <InputField
            key={one.name}
            input={one}
            value={values[one.name] ?? ""}
            onValue={(value) => {
              setValues({ ...values, [one.name]: value });
              setKey(crypto.randomUUID());
            }}
          />
        ))}
        {namesCaller && <CallerField caller={caller} onCaller={setCaller} />}
        <button type="submit" className="btn btn-primary btn-sm" disabled={call.isPending}>
          {call.isPending ? "Running" : flow.writes ? "Run; it changes something" : "Run"}
        </button>
      </form>
      <ProblemAlert error={call.error} />
      {call.data && flow.writes && <SameKey onNew={() => setKey(crypto.randomUUID())} />}
      {begun ? <Following key={begun.number} at={at} begun={begun} /> : call.data && <Answer told={call.data} />}
    </section>
  );
}

const WORDS = {
  time: "a time to come",
  callback: "a service's request",
  person: "a person's answer",
  doubt: "somebody who says what became of a call",
};

/** A run that was not over at once, until it is. */
function Following({ at, begun }: { at: At; begun: FlowRun }) {
  const found = useFlowRun(at, begun.number);
  const run = found.data ?? begun;
  return (
    <div role="status">
      <p className="mb-1 flex flex-wrap items-center gap-2 text-sm">
        <Tag tone={run.state === "done" ? "good" : isOver(run) ? "bad" : "busy"}>{run.state}</Tag>
        run {run.number}
        {run.waits_for.map((one) => (
          <span key={one.kind + one.question}>
            waits for {WORDS[one.kind]}
            {one.question && <>: {one.question}</>}
            {one.until && <> until {new Date(one.until).toLocaleString()}</>}
          </span>
        ))}
      </p>
      <ProblemAlert error={found.error} />
      {run.reply && (
        <pre className="max-h-[28rem] overflow-auto rounded-field bg-base-200 p-3 font-mono text-xs">
          {indented(JSON.stringify(run.reply.body))}
        </pre>
      )}
    </div>
  );
}
