/** Views of one thing, of which one is shown. */
export function Tabs<View extends string>({
  views,
  view,
  onView,
  children,
}: {
  views: readonly View[];
  view: View;
  onView: (view: View) => void;
  /** What stands at the end of the line. */
  children: React.ReactNode;
}) {
  return (
    <div role="tablist" className="mb-2 flex flex-wrap items-center gap-4 border-b border-base-300 text-sm">
      {views.map((one) => (
        <button
          key={one}
          type="button"
          role="tab"
          aria-selected={view === one}
          className={`-mb-px cursor-pointer border-b-2 pb-1 ${view === one ? "border-accent font-medium" : "border-transparent opacity-75"}`}
          onClick={() => onView(one)}
        >
          {one}
        </button>
      ))}
      <span className="ml-auto pb-1 text-xs">{children}</span>
    </div>
  );
}

/** A stored body as a file. */
export function SaveFile({ project, body }: { project: string; body: string }) {
  return (
    <a className="link" href={`/api/v1/projects/${project}/bodies/${body}/content`} download>
      save to a file
    </a>
  );
}
