import { useState } from "react";
import { useParams } from "react-router";
import { usePermitHost } from "../features/environments/environments";
import { usePermission, useSession } from "../features/session/session";

const PERMIT = /an administrator permits it with: (rondine host permit (\S+)(?: --port (\d+))?( --private)?)/;

type Wanted = { command: string; host: string; port: number | null; isPrivate: boolean };

/**
 * What to do about a problem. A host that is not permitted can be permitted here by who may; others see whom to ask.
 */
export function Advice({ hint, before = "" }: { hint: string | null | undefined; before?: string }) {
  if (!hint) return null;
  const [, command, host = "", port, isPrivate] = PERMIT.exec(hint) ?? [];
  if (!command)
    return (
      <>
        {before}
        {hint}
      </>
    );
  return (
    <Unpermitted
      before={before}
      wanted={{ command, host, port: port ? Number(port) : null, isPrivate: Boolean(isPrivate) }}
    />
  );
}

function Unpermitted({ before, wanted }: { before: string; wanted: Wanted }) {
  const { project = "" } = useParams();
  const mayPermit = usePermission(project, "administer");
  const whom = useSession().data?.projects.find((one) => one.name === project)?.administrators ?? [];
  if (mayPermit) return <Permit project={project} wanted={wanted} />;
  return (
    <>
      {before}ask {whom.join(" or ") || "an administrator"} to permit it, here or with: {wanted.command}
    </>
  );
}

function Permit({ project, wanted: { host, port, isPrivate } }: { project: string; wanted: Wanted }) {
  const permit = usePermitHost(project);
  const [isAsking, setAsking] = useState(false);
  const name = `${host}${port ? `:${port}` : ""}`;
  if (permit.isSuccess) return <span role="status">{name} is permitted now. Try again.</span>;
  if (!isAsking)
    return (
      <button type="button" className="btn btn-xs mt-1" onClick={() => setAsking(true)}>
        Permit {name} …
      </button>
    );
  return (
    <span className="mt-1 block">
      Everybody who builds in this project can then send requests to {name}
      {port ? "" : ", at any port,"} from where Rondine runs
      {isPrivate
        ? ", also if that is this machine or a private network, where things may listen that nobody outside can reach"
        : ""}
      .
      <button
        type="button"
        className="btn btn-primary btn-xs ml-2"
        disabled={permit.isPending}
        onClick={() => permit.mutate({ host, port, is_private: isPrivate })}
      >
        Permit it
      </button>
      <button type="button" className="btn btn-ghost btn-xs" onClick={() => setAsking(false)}>
        Leave it
      </button>
      {permit.error && (
        <span role="alert" className="block text-error">
          {permit.error.message}
        </span>
      )}
    </span>
  );
}
