import { useState } from "react";
import { useNavigate } from "react-router";
import { useName } from "../../ui/naming";
import { Field, Heading } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useChangedUnits, useMakeFeed, useReach, useSavePlan } from "./keeping";
import { useBench, usePlan } from "./context";
import { isChanged, isPlanChanged, type Draft } from "./draft";
import { confirm, renameType, rulesOf } from "./plan";

/** Saves record type and mapping, and makes the feed that keeps the records. */
export function Keep() {
  const { plan, setPlan } = usePlan();
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
              onChange={(e) => setPlan(renameType(plan, e.target.value))}
            />
          )}
        </Field>
        <Field label="Mapping">
          {(id) => (
            <input
              id={id}
              className="input input-sm w-full font-mono"
              value={plan.mappingName}
              onChange={(e) => setPlan({ ...plan, mappingName: e.target.value })}
            />
          )}
        </Field>
      </div>
      <SaveBoth />
      <FeedIt />
    </section>
  );
}

/** The name under which the mapping is saved as it stands, null if it is not. */
function savedAs(draft: Draft): string | null {
  return draft.savedPlan && !isPlanChanged(draft) ? draft.savedPlan.mappingName : null;
}

/** Saves record type and mapping, after what that reaches was said. */
function SaveBoth() {
  const { project, draft, change } = useBench();
  const { plan, setPlan } = usePlan();
  const { service } = draft;
  const save = useSavePlan(project);
  const isSaved = savedAs(draft) !== null;
  const reach = useReach(project, plan);
  const units = useChangedUnits(project, plan);
  const waiting = plan.unsure.filter((name) => rulesOf(plan).some((rule) => rule.name === name));
  return (
    <>
      <ProblemAlert error={save.error} />
      {!isSaved &&
        units.map((one) => (
          <p key={one.name} className="mb-2 border-l-4 border-warning bg-warning/10 py-0.5 pl-2 text-xs">
            <span className="font-mono">{one.name}</span> was in {one.from} and is in {one.to} now: records that are
            kept stay as they are until they come again.
          </p>
        ))}
      {!isSaved &&
        reach.map((one) => (
          <p key={one.what} className="mb-2 border-l-4 border-warning bg-warning/10 py-0.5 pl-2 text-xs">
            Saving changes the {one.what}, which {one.users.map((user) => `${user.kind} ${user.name}`).join(", ")}{" "}
            {one.users.length === 1 ? "uses" : "use"} too.
          </p>
        ))}
      {waiting.length > 0 && (
        <p className="mb-2 border-l-4 border-warning bg-warning/10 py-0.5 pl-2 text-xs">
          Not sure: {waiting.join(", ")}. Confirm each, or leave it out.{" "}
          <button type="button" className="link" onClick={() => setPlan(waiting.reduce(confirm, plan))}>
            they are all right
          </button>
        </p>
      )}
      <button
        type="button"
        className="btn btn-sm"
        disabled={save.isPending || !service || !plan.recordType.key?.length || waiting.length > 0}
        onClick={() => save.mutate({ plan, service }, { onSuccess: () => change({ type: "plan saved" }) })}
      >
        {save.isPending ? "Saving" : isSaved ? "Save both again" : "Save record type and mapping"}
      </button>
      {isSaved && <span className="ml-2 text-xs text-success">saved</span>}
      {!isSaved && (
        <span className="ml-2 text-xs opacity-80">
          {!service
            ? "after it is kept as a service, at the top"
            : !plan.recordType.key?.length
              ? "choose a key first: the sign before a field"
              : ""}
        </span>
      )}
    </>
  );
}

/** Makes the feed that keeps the records, and runs it. */
function FeedIt() {
  const { project, draft, request } = useBench();
  const { plan } = usePlan();
  const { item, service, environment } = draft;
  const navigate = useNavigate();
  const make = useMakeFeed(project);
  const [feed, setFeed] = useState("");
  const named = useName(project, "feed", plan.mappingName, service);
  const feedName = feed || named.name;
  const supportsCopy = request.data?.supports.includes("copy") ?? true;
  const isStored = item !== null && !isChanged(draft);
  const isReady = isStored && savedAs(draft) === plan.mappingName;
  return (
    <>
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
              !isStored
                ? "save the operation first"
                : !isReady
                  ? "save record type and mapping first"
                  : `asks ${item?.name} for all pages and keeps the records`
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
          disabled={!isReady || make.isPending || !supportsCopy || !feedName}
          onClick={() =>
            item &&
            make.mutate(
              { name: feedName, operation: item.name, mapping: plan.mappingName, environment, document: {} },
              { onSuccess: (run) => navigate(`../runs/${run.id}`) },
            )
          }
        >
          {make.isPending ? "Starting" : "Make the feed and run it"}
        </button>
      </div>
      <ProblemAlert error={make.error} />
    </>
  );
}
