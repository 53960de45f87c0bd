import { useState } from "react";
import { Link, useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { NotYet, Page } from "../../ui/Layout";
import { More } from "../../ui/pages";
import { Empty, Heading, Tag, when } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useEnvironmentList } from "../environments/environments";
import { usePermission } from "../session/session";
import { Differences } from "./Differences";
import { FixedValues } from "./FixedValues";
import { GoesBy } from "./GoesBy";
import { called, useContents, useMakeRelease, useReleases, useUnready, useWithdraw } from "./releases";

type Release = Schemas["Release"];

/** What each environment goes by, what is new in the draft, and what was released. */
export default function Releases() {
  const { project = "" } = useParams();
  const releases = useReleases(project);
  const environments = useEnvironmentList(project);
  const mayBuild = usePermission(project, "build");
  const error = releases.error ?? environments.error;
  if (releases.isPending || !environments.data || (releases.error && !releases.items.length))
    return <NotYet title="Releases" what="Reading the releases" error={error} />;
  return (
    <Page
      title="Releases"
      aside={
        <Link className="link text-sm" to={`/p/${project}/cases`}>
          test cases
        </Link>
      }
    >
      <section className="mb-9">
        <Heading>What each environment goes by</Heading>
        <div className="grid gap-6 md:grid-cols-2">
          {(environments.data ?? []).map((one) => (
            <GoesBy key={one.name} project={project} environment={one} releases={releases.items} />
          ))}
        </div>
      </section>
      <Draft project={project} newest={releases.items[0]} mayBuild={mayBuild} />
      <section>
        <Heading aside={<span className="text-xs opacity-75">they never change</span>}>Releases</Heading>
        {releases.items.length === 0 && (
          <Empty title="Nothing is released yet">
            A release is a numbered state of the services, operations, queries, record types, mappings and bindings. An
            environment that goes by it runs what is in it, whatever becomes of the draft.
          </Empty>
        )}
        <ol>
          {releases.items.map((one, at) => (
            <OneRelease
              key={one.number}
              project={project}
              release={one}
              before={releases.items[at + 1]}
              mayBuild={mayBuild}
            />
          ))}
        </ol>
        <More list={releases} what="releases" />
      </section>
    </Page>
  );
}

/** What is new since the newest release, what is not ready, and how it is released. */
function Draft({ project, newest, mayBuild }: { project: string; newest: Release | undefined; mayBuild: boolean }) {
  const unready = useUnready(project);
  const make = useMakeRelease(project);
  const [notes, setNotes] = useState("");
  const [reasons, setReasons] = useState<Record<string, string>>({});
  const items = unready.data ?? [];
  const key = (item: { kind: string; name: string }) => `${item.kind} ${item.name}`;
  const isOpen = items.some((item) => !reasons[key(item)]?.trim());
  const waive = items.map(({ kind, name }) => ({ kind, name, reason: reasons[`${kind} ${name}`] ?? "" }));
  return (
    <section className="mb-9">
      <Heading aside={newest && <span className="text-xs opacity-75">against {called(newest.number)}</span>}>
        What is new in the draft
      </Heading>
      {newest && (
        <Differences project={project} before={newest.number} after={null} same="Nothing: it is all released." />
      )}
      {items.length > 0 && (
        <>
          <h3 className="mt-3 text-sm font-semibold">Not ready</h3>
          <ul className="text-sm">
            {items.map((item) => (
              <li key={key(item)} className="mb-2 border-l-2 border-warning pl-2">
                <span className="font-medium">
                  {item.kind} {item.name}
                </span>
                : {item.problems.map((problem) => problem.message).join("; ")}
                {mayBuild && (
                  <input
                    className="input input-sm mt-1 block w-full max-w-md"
                    aria-label={`Why ${key(item)} is released all the same`}
                    placeholder="let it pass, because ..."
                    value={reasons[key(item)] ?? ""}
                    onChange={(event) => setReasons({ ...reasons, [key(item)]: event.target.value })}
                  />
                )}
              </li>
            ))}
          </ul>
        </>
      )}
      <FixedValues project={project} mayBuild={mayBuild} />
      {mayBuild && (
        <form
          className="mt-3 flex flex-wrap items-end gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            make.mutate(
              { notes, waive },
              {
                onSuccess: () => {
                  setNotes("");
                  setReasons({});
                },
              },
            );
          }}
        >
          <label className="flex min-w-60 grow flex-col text-xs">
            What is new in it
            <input className="input input-sm w-full" value={notes} onChange={(event) => setNotes(event.target.value)} />
          </label>
          <button type="submit" className="btn btn-primary btn-sm" disabled={isOpen || make.isPending}>
            Make release {(newest?.number ?? 0) + 1}
          </button>
          {isOpen && <span className="text-xs opacity-80">mend what is not ready, or say why it may pass</span>}
        </form>
      )}
      <ProblemAlert error={unready.error ?? make.error} />
    </section>
  );
}

function OneRelease({
  project,
  release,
  before,
  mayBuild,
}: {
  project: string;
  release: Release;
  before: Release | undefined;
  mayBuild: boolean;
}) {
  const [isOpen, setOpen] = useState(false);
  return (
    <li className="border-t border-base-300 py-2">
      <button
        type="button"
        className="flex w-full cursor-pointer flex-wrap items-baseline gap-x-3 text-left"
        aria-expanded={isOpen}
        onClick={() => setOpen(!isOpen)}
      >
        <span className="w-6 text-right text-lg font-semibold tabular-nums">{release.number}</span>
        <span>{release.notes || <span className="opacity-75">no notes</span>}</span>
        {release.environments.map((one) => (
          <Tag key={one} tone="good">
            {one}
          </Tag>
        ))}
        {release.withdrawn_at && <Tag tone="bad">withdrawn</Tag>}
        {release.waived.length > 0 && <Tag>{release.waived.length} let pass</Tag>}
        <span className="text-xs opacity-75">
          {when(release.made_at)}
          {release.by && `, ${release.by}`}, {release.items} items
        </span>
      </button>
      {isOpen && (
        <div className="mt-2 ml-9">
          {release.withdrawn_at && (
            <p className="text-sm">
              Withdrawn {when(release.withdrawn_at)}
              {release.withdrawn_why && `: ${release.withdrawn_why}`}. No environment goes over to it any more.
            </p>
          )}
          {release.waived.map((one) => (
            <p key={one.kind + one.name + one.message} className="border-l-2 border-warning pl-2 text-sm">
              {one.kind} {one.name}: {one.message}. Let pass: {one.reason}
            </p>
          ))}
          {before ? (
            <Differences
              project={project}
              before={before.number}
              after={release.number}
              same={`The same as ${called(before.number)}.`}
            />
          ) : (
            <Contents project={project} number={release.number} />
          )}
          {mayBuild && !release.withdrawn_at && release.environments.length === 0 && (
            <Withdraw project={project} number={release.number} />
          )}
        </div>
      )}
    </li>
  );
}

function Contents({ project, number }: { project: string; number: number }) {
  const found = useContents(project, number);
  return (
    <>
      <ProblemAlert error={found.error} />
      <ul className="columns-1 text-sm sm:columns-2">
        {found.data?.map((one) => (
          <li key={one.kind + one.name}>
            <span className="opacity-80">{one.kind}</span> <span className="font-medium">{one.name}</span>{" "}
            <span className="text-xs opacity-75">version {one.version}</span>
          </li>
        ))}
      </ul>
    </>
  );
}

function Withdraw({ project, number }: { project: string; number: number }) {
  const withdraw = useWithdraw(project);
  const [why, setWhy] = useState("");
  return (
    <form
      className="mt-2 flex flex-wrap items-end gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        withdraw.mutate({ number, why });
      }}
    >
      <label className="flex min-w-60 flex-col text-xs">
        Why it should not be used any more
        <input className="input input-sm" value={why} onChange={(event) => setWhy(event.target.value)} />
      </label>
      <button type="submit" className="btn btn-sm" disabled={withdraw.isPending}>
        Withdraw release {number}
      </button>
      <ProblemAlert error={withdraw.error} />
    </form>
  );
}
