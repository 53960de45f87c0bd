import { useState } from "react";
import { useName } from "../../ui/naming";
import { Field, Heading } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useChangedUnits, useReach } from "./bench";
import { confirm, renameType, rulesOf, type Plan } from "./plan";
import type { RecordsProps } from "./RecordsPane";

/** Saves record type and mapping, and makes the feed that keeps the records. */
export function Keep({
  plan,
  onPlan,
  onSave,
  isSaving,
  saveError,
  savedAs,
  operation,
  isSaved,
  environment,
  onRun,
  isRunning,
  runError,
  supportsCopy,
  project,
  service,
}: RecordsProps & { plan: Plan }) {
  const [feed, setFeed] = useState("");
  const named = useName(project, "feed", plan.mappingName, service);
  const feedName = feed || named.name;
  const isReady = isSaved && savedAs === plan.mappingName;
  const reach = useReach(project, plan);
  const units = useChangedUnits(project, plan);
  const waiting = plan.unsure.filter((name) => rulesOf(plan).some((rule) => rule.name === name));
  return (
    <section className="mt-5 border-t border-base-300 pt-3">
      <Heading>Keep them</Heading>
      <div className="grid grid-cols-2 gap-x-3">
        <Field label="Record type">
          {(id) => (
            <input
              id={id}
              className="input input-sm w-full font-mono"
              value={plan.typeName}
              onChange={(e) => onPlan(renameType(plan, e.target.value))}
            />
          )}
        </Field>
        <Field label="Mapping">
          {(id) => (
            <input
              id={id}
              className="input input-sm w-full font-mono"
              value={plan.mappingName}
              onChange={(e) => onPlan({ ...plan, mappingName: e.target.value })}
            />
          )}
        </Field>
      </div>
      <ProblemAlert error={saveError} />
      {!savedAs &&
        units.map((one) => (
          <p key={one.name} className="mb-2 border-l-4 border-warning bg-warning/10 py-0.5 pl-2 text-xs">
            <span className="font-mono">{one.name}</span> was in {one.from} and is in {one.to} now: records that are
            kept stay as they are until they come again.
          </p>
        ))}
      {!savedAs &&
        reach.map((one) => (
          <p key={one.what} className="mb-2 border-l-4 border-warning bg-warning/10 py-0.5 pl-2 text-xs">
            Saving changes the {one.what}, which {one.users.map((user) => `${user.kind} ${user.name}`).join(", ")}{" "}
            {one.users.length === 1 ? "uses" : "use"} too.
          </p>
        ))}
      {waiting.length > 0 && (
        <p className="mb-2 border-l-4 border-warning bg-warning/10 py-0.5 pl-2 text-xs">
          Not sure: {waiting.join(", ")}. Confirm each, or leave it out.{" "}
          <button type="button" className="link" onClick={() => onPlan(waiting.reduce(confirm, plan))}>
            they are all right
          </button>
        </p>
      )}
      <button
        type="button"
        className="btn btn-sm"
        disabled={isSaving || !service || !plan.recordType.key?.length || waiting.length > 0}
        onClick={onSave}
      >
        {isSaving ? "Saving" : savedAs ? "Save both again" : "Save record type and mapping"}
      </button>
      {savedAs && <span className="ml-2 text-xs text-success">saved</span>}
      {!savedAs && (
        <span className="ml-2 text-xs opacity-80">
          {!service
            ? "after it is kept as a service, at the top"
            : !plan.recordType.key?.length
              ? "choose a key first: the sign before a field"
              : ""}
        </span>
      )}
      <div className="mt-3 flex items-end gap-2">
        <div className="flex-1">
          <Field
            label="Feed"
            aside={`in ${environment}`}
            problem={
              supportsCopy
                ? undefined
                : `the connection in ${environment} is not for keeping copies; its page says what it is for`
            }
            hint={
              !isSaved
                ? "save the operation first"
                : !isReady
                  ? "save record type and mapping first"
                  : `asks ${operation} for all pages and keeps the records`
            }
          >
            {(id) => (
              <input
                id={id}
                className="input input-sm w-full font-mono"
                placeholder={feedName}
                value={feed}
                onChange={(e) => setFeed(e.target.value)}
              />
            )}
          </Field>
        </div>
        <button
          type="button"
          className="btn btn-primary btn-sm mb-8"
          disabled={!isReady || isRunning || !supportsCopy || !feedName}
          onClick={() => onRun(feedName)}
        >
          {isRunning ? "Starting" : "Make the feed and run it"}
        </button>
      </div>
      <ProblemAlert error={runError} />
    </section>
  );
}
