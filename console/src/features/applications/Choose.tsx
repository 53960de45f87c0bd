import { useState } from "react";

interface Item {
  name: string;
  title: string;
}

/** Some of many items, or all of them. every: the words for all. */
export function Choose({
  legend,
  every,
  items,
  chosen,
  isAll,
  onChosen,
  onAll,
}: {
  legend: string;
  every: string;
  items: Item[];
  chosen: string[];
  isAll: boolean;
  onChosen: (names: string[]) => void;
  onAll: (isAll: boolean) => void;
}) {
  const [search, setSearch] = useState("");
  const wanted = search.toLowerCase();
  const found = items.filter((one) => `${one.name} ${one.title}`.toLowerCase().includes(wanted));
  return (
    <fieldset className="mb-3">
      <legend className="mb-1 text-sm font-medium">{legend}</legend>
      <label className="flex items-center gap-2 text-sm">
        <input
          type="checkbox"
          className="checkbox checkbox-sm"
          checked={isAll}
          onChange={(event) => onAll(event.target.checked)}
        />
        {every}
      </label>
      {!isAll && (
        <>
          {items.length > 12 && (
            <input
              type="search"
              className="input input-sm my-1 w-full max-w-60"
              aria-label={`Search: ${legend.toLowerCase()}`}
              placeholder={`search ${items.length.toLocaleString()}`}
              value={search}
              onChange={(event) => setSearch(event.target.value)}
            />
          )}
          <div className="mt-1 grid max-h-48 gap-x-4 overflow-y-auto sm:grid-cols-2">
            {found.slice(0, 200).map((one) => (
              <label key={one.name} className="flex min-w-0 items-center gap-2 text-sm">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs"
                  checked={chosen.includes(one.name)}
                  onChange={(event) =>
                    onChosen(
                      event.target.checked ? [...chosen, one.name] : chosen.filter((other) => other !== one.name),
                    )
                  }
                />
                <span className="truncate" title={one.name}>
                  {one.title || one.name}
                </span>
              </label>
            ))}
          </div>
          <p className="text-xs opacity-75">
            {chosen.length === 0 ? "none chosen" : `chosen: ${chosen.join(", ")}`}
            {found.length > 200 && `; ${(found.length - 200).toLocaleString()} more: search for them`}
          </p>
        </>
      )}
    </fieldset>
  );
}
