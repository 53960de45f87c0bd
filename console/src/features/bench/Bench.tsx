import { useEffect } from "react";
import { useBlocker, useParams, useSearchParams } from "react-router";
import { NotYet } from "../../ui/Layout";
import { Panes } from "../../ui/Panes";
import { useOperation } from "./bench";
import { BenchProvider, PointingProvider, useBenchState, usePointingState } from "./context";
import { begun, isChanged, isPlanChanged, type Draft } from "./draft";
import { RecordsPane } from "./RecordsPane";
import { RequestPane } from "./RequestPane";
import { ResponsePane } from "./ResponsePane";
import { TitleBar } from "./TitleBar";

/** One operation: request, response, records, side by side. */
export default function Bench() {
  const { project = "", name = "new" } = useParams();
  const [query] = useSearchParams();
  const found = useOperation(project, name);
  if (name === "new") return <Workbench key="new" project={project} start={begun(query.get("service") ?? "", null)} />;
  if (!found.data) return <NotYet title={name} what="Reading the operation" error={found.error} />;
  return <Workbench key={name} project={project} start={begun("", found.data)} />;
}

function Workbench({ project, start }: { project: string; start: Draft }) {
  const bench = useBenchState(project, start);
  const { isDescribing } = bench.draft;
  return (
    <BenchProvider value={bench}>
      <Pointing body={bench.draft.response?.body ?? null}>
        <div className="flex flex-1 flex-col lg:h-[calc(100vh-2.75rem)] lg:flex-none">
          <TitleBar />
          <Leaving isUnsaved={isChanged(bench.draft) || isPlanChanged(bench.draft)} />
          <Panes
            name={isDescribing ? "bench describing" : "bench"}
            labels={["the request", "the response", "the records"]}
            widths={isDescribing ? [42, 28] : [22, 38]}
          >
            <RequestPane />
            <ResponsePane />
            <RecordsPane />
          </Panes>
        </div>
      </Pointing>
    </BenchProvider>
  );
}

/** A state of its own, so that pointing at values draws nothing anew but what is lit by it. */
function Pointing({ body, children }: { body: string | null; children: React.ReactNode }) {
  return <PointingProvider value={usePointingState(body)}>{children}</PointingProvider>;
}

/** Nothing is lost by leaving the page without being asked. */
function Leaving({ isUnsaved }: { isUnsaved: boolean }) {
  const leaving = useBlocker(
    ({ currentLocation, nextLocation }) => isUnsaved && currentLocation.pathname !== nextLocation.pathname,
  );
  useEffect(() => {
    if (!isUnsaved) return;
    const warn = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener("beforeunload", warn);
    return () => window.removeEventListener("beforeunload", warn);
  }, [isUnsaved]);
  if (leaving.state !== "blocked") return null;
  return (
    <div
      role="alertdialog"
      aria-label="Not saved"
      className="flex flex-wrap items-center gap-3 border-b border-base-300 bg-warning/10 px-4 py-3 text-sm"
    >
      What you changed here is not saved.
      <button type="button" className="btn btn-sm" onClick={() => leaving.reset()}>
        Stay
      </button>
      <button type="button" className="btn btn-ghost btn-sm" onClick={() => leaving.proceed()}>
        Leave without saving
      </button>
    </div>
  );
}
