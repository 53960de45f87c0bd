import { useState } from "react";
import { Link, useNavigate } from "react-router";
import type { Schemas } from "../../api/client";
import { Page } from "../../ui/Layout";
import { Heading, Tag } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { asText } from "../../ui/text";
import { Shown } from "../bench/RecordTable";
import { usePermission } from "../session/session";
import { Conflict } from "./Conflict";
import { plays, useRecordUses, useWriteRecord, type Live, type Values } from "./live";
import { LiveNote } from "./LiveNote";
import { Picture } from "./Picture";
import { pictureSource } from "./pictures";
import { RecordForm } from "./RecordForm";

interface LiveProps {
  project: string;
  environment: string;
  recordType: Schemas["RecordType"];
  /** Its key, as in the page's address. */
  address: string;
  record: Schemas["RecordShown"];
  live: Live;
  isAsking: boolean;
  onAgain: () => void;
}

type Doing = "nothing" | "changing" | "removing";

/** A live record as its service has it, with the forms that change it there. */
export function LiveRecord(props: LiveProps) {
  const { project, environment, recordType, address, record, live, isAsking, onAgain } = props;
  const type = recordType.name;
  const uses = useRecordUses(project, environment, type);
  const mayBuild = usePermission(project, "build");
  const navigate = useNavigate();
  const [doing, setDoing] = useState<Doing>("nothing");
  // what was typed on a version that is no longer there, and what the record was then
  const [stale, setStale] = useState<{ typed: Values; before: Values } | null>(null);
  const [done, setDone] = useState<Schemas["RecordWritten"] | null>(null);
  const known = { key: address, version: record.version ?? "*" };
  const remove = useWriteRecord(project, environment, type, known);
  const use = new Map((uses.data?.fields ?? []).map((one) => [one.field, one]));
  const list = `/p/${project}/records/${type}${environment === "test" ? "" : `?environment=${environment}`}`;
  const onDone = (written: Schemas["RecordWritten"]) => {
    setDone(written);
    setDoing("nothing");
    setStale(null);
  };
  return (
    <Page
      title={record.key.map(String).join(", ")}
      aside={
        <>
          <Link className="link text-sm" to={list}>
            {recordType.title || type}
          </Link>
          <Tag tone="busy">live</Tag>
          {mayBuild && doing === "nothing" && !stale && (
            <span className="ml-auto flex gap-2">
              {plays(uses.data, "change") && (
                <button type="button" className="btn btn-sm" onClick={() => setDoing("changing")}>
                  Change
                </button>
              )}
              {plays(uses.data, "remove") && (
                <button type="button" className="btn btn-sm" onClick={() => setDoing("removing")}>
                  Remove
                </button>
              )}
            </span>
          )}
        </>
      }
    >
      <LiveNote project={project} live={live} isAsking={isAsking} onAgain={onAgain} />
      {done && <Done project={project} written={done} />}
      {stale && (
        <Conflict
          fields={recordType.document.fields ?? []}
          before={stale.before}
          now={record.data}
          typed={stale.typed}
          write={(data) => remove.mutate({ data, inProtected: false }, { onSuccess: onDone })}
          isWriting={remove.isPending}
          onCancel={() => setStale(null)}
        />
      )}
      {doing === "changing" && !stale && (
        <RecordForm
          key={record.version}
          project={project}
          environment={environment}
          recordType={recordType}
          takes={(name) => use.get(name)?.is_changed ?? false}
          known={known}
          before={record.data}
          onDone={onDone}
          onCancel={() => setDoing("nothing")}
          onStale={(typed) => {
            setStale({ typed, before: record.data });
            setDoing("nothing");
            onAgain();
          }}
        />
      )}
      {doing === "removing" && (
        <div className="mb-4 border-l-2 border-error pl-3 text-sm">
          <p className="mb-2">
            {type} {record.key.map(String).join(", ")} will be removed at the service.
          </p>
          <button
            type="button"
            className="btn btn-sm btn-error"
            disabled={remove.isPending}
            onClick={() => remove.mutate({ data: null, inProtected: false }, { onSuccess: () => void navigate(list) })}
          >
            {remove.isPending ? "Removing" : "Remove it"}
          </button>{" "}
          <button type="button" className="btn btn-sm" onClick={() => setDoing("nothing")}>
            Keep it
          </button>
        </div>
      )}
      <ProblemAlert error={remove.error} />
      <section className="max-w-2xl">
        <Heading>Values</Heading>
        <dl className="text-sm">
          {(recordType.document.fields ?? []).map((one) => (
            <div key={one.name} className="grid grid-cols-[9rem_1fr] gap-3 border-b border-base-300 py-1.5">
              <dt className="font-mono text-xs text-secondary">{one.name}</dt>
              <dd>
                {one.is_picture && record.data[one.name] ? (
                  <Picture
                    address={asText(record.data[one.name])}
                    source={pictureSource(project, environment, type, record.key, one.name)}
                    height={160}
                  />
                ) : (
                  <Shown value={record.data[one.name]} isThere={one.name in record.data} />
                )}{" "}
                <span className="opacity-70">{record.data[one.name] != null && one.unit}</span>
              </dd>
            </div>
          ))}
        </dl>
        <p className="mt-3 text-xs opacity-80">
          Version <code>{record.version ?? "none"}</code>. Nothing of it is kept here.
        </p>
      </section>
    </Page>
  );
}

const CONFIRMED = {
  "read back": "and was read back.",
  answered: "and the service's answer has it.",
  accepted: "and the service said that it worked; it was not read back.",
};

/** What became of a change. */
function Done({ project, written }: { project: string; written: Schemas["RecordWritten"] }) {
  const hasDifferences = written.differences.length > 0;
  return (
    <div
      role="status"
      className={`mb-4 border-l-4 px-3 py-2 text-sm ${hasDifferences ? "border-warning bg-warning/8" : "border-success bg-success/8"}`}
    >
      It was written at the service, {CONFIRMED[written.confirmed]}{" "}
      {written.run != null && (
        <Link className="link" to={`/p/${project}/runs/${written.run}`}>
          run {written.run}
        </Link>
      )}
      {hasDifferences && (
        <ul className="mt-1 list-disc pl-5">
          {written.differences.map((one) => (
            <li key={one.where + one.message}>
              {one.message} <span className="opacity-80">({one.hint})</span>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
