import type { Bar, Column, Profile } from "./columns";

/** Width and height of the drawing. */
const WIDTH = 88;
const HEIGHT = 22;

/** A small drawing of a column's values: a bar filters by its values. */
export function ColumnProfile({
  column,
  profile,
  onFilter,
}: {
  column: Column;
  profile?: Profile;
  /** None where records cannot be filtered by it. */
  onFilter?: (filters: Record<string, string>) => void;
}) {
  if (!profile) return null;
  const highest = Math.max(1, ...profile.bars.map((bar) => bar.count));
  const wide = WIDTH / Math.max(1, profile.bars.length);
  const words = [
    `${profile.distinct} different`,
    profile.missing > 0 ? `${profile.missing} missing` : "",
    profile.least !== undefined && profile.least !== profile.most ? `${profile.least} to ${profile.most}` : "",
  ].filter(Boolean);
  return (
    <div className="font-sans text-[0.65rem] leading-tight opacity-80" title={words.join(" · ")}>
      {(profile.distinct <= profile.bars.length || profile.bars.some((bar) => bar.count > 1)) && (
        <svg
          className="inline-block"
          width={WIDTH}
          height={HEIGHT}
          role="group"
          aria-label={`${column.name}: ${words.join(", ")}`}
        >
          {profile.bars.map((bar, at) => (
            <rect
              key={bar.label + at}
              {...(onFilter && bar.count > 0 ? pressed(column, bar, onFilter) : { className: "fill-secondary/40" })}
              x={at * wide}
              width={Math.max(1, wide - 1.5)}
              y={HEIGHT - Math.max(bar.count > 0 ? 2 : 0, (bar.count / highest) * HEIGHT)}
              height={Math.max(bar.count > 0 ? 2 : 0, (bar.count / highest) * HEIGHT)}
            >
              <title>{`${bar.label}: ${bar.count}`}</title>
            </rect>
          ))}
        </svg>
      )}
      <p className="whitespace-nowrap">
        {profile.distinct} different{profile.missing > 0 && ` · ${profile.missing} missing`}
      </p>
    </div>
  );
}

/** What makes a bar a button. */
function pressed(column: Column, bar: Bar, onFilter: (filters: Record<string, string>) => void) {
  return {
    role: "button",
    tabIndex: 0,
    "aria-label": `${column.name} ${bar.label}: ${bar.count}`,
    className: "cursor-pointer fill-secondary/60 hover:fill-accent focus:fill-accent",
    onClick: () => onFilter(filtersOf(column, bar)),
    onKeyDown: (event: React.KeyboardEvent) => event.key === "Enter" && onFilter(filtersOf(column, bar)),
  };
}

function filtersOf(column: Column, bar: Bar): Record<string, string> {
  if (bar.equal !== undefined) return { [column.name]: bar.equal };
  if (bar.from === undefined || bar.to === undefined) return {};
  return { [`${column.name}.from`]: bar.from, [`${column.name}.to`]: bar.to };
}
