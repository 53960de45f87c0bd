import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Heading } from "../../ui/parts";
import { BodyText } from "./BodyText";
import { CallLine } from "./Outcome";
import { SaveFile, Tabs } from "./Tabs";
import { Tree } from "./Tree";

const VIEWS = ["tree", "text"] as const;

interface Props {
  project: string;
  title: string;
  body: string;
  /** What is known of the call that it came with. */
  call: Schemas["Call"] | null;
  /** Shown at first (a JSON Pointer). */
  begin: string | null;
  /** Asks where the values at a place went. */
  onWhereTo?: (pointer: string) => void;
}

/** A response that is only looked at, as the source of kept records. */
export function SourcePane({ project, title, body, call, begin, onWhereTo }: Props) {
  const [view, setView] = useState<(typeof VIEWS)[number]>("tree");
  return (
    <div className="flex flex-col p-3 lg:h-full lg:min-h-0">
      <Heading>{title}</Heading>
      {call && (
        <div className="mb-2">
          <CallLine call={call} isGood={call.status !== null && call.status < 400} />
        </div>
      )}
      <Tabs views={VIEWS} view={view} onView={setView}>
        <SaveFile project={project} body={body} />
      </Tabs>
      {view === "text" ? (
        <BodyText project={project} body={body} />
      ) : (
        <Tree key={body} project={project} body={body} begin={begin} onWhereTo={onWhereTo} />
      )}
    </div>
  );
}
