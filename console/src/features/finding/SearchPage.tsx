import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { Page } from "../../ui/Layout";
import { Empty, Tag, Waiting } from "../../ui/parts";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useSearch } from "./finding";
import { placeOf } from "./places";

/** What has a text: items by name, title or setting, kept records by key, runs by number. */
export default function SearchPage() {
  const { project = "" } = useParams();
  const [query, setQuery] = useSearchParams();
  const asked = query.get("q") ?? "";
  const [text, setText] = useState(asked);
  const found = useSearch(project, asked);
  return (
    <Page
      title="Search"
      aside={
        <form
          role="search"
          className="flex gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            setQuery({ q: text.trim() });
          }}
        >
          <input
            type="search"
            className="input input-sm w-72 max-w-full"
            aria-label="Text to search for"
            placeholder="a name, a setting, a record's key, a run's number"
            value={text}
            onChange={(event) => setText(event.target.value)}
          />
          <button type="submit" className="btn btn-sm" disabled={text.trim().length < 2}>
            Search
          </button>
        </form>
      }
    >
      <ProblemAlert error={found.error} />
      {asked && found.isPending && found.isFetching && <Waiting what="Searching" />}
      {found.data?.items.length === 0 && (
        <Empty title={`Nothing has "${asked}"`}>
          Names, titles and settings of all items are searched, kept records by their keys, runs by their numbers.
        </Empty>
      )}
      <ul className="text-sm">
        {found.data?.items.map((one) => {
          const place = placeOf(one);
          const title = one.title || one.name;
          return (
            <li
              key={[one.kind, one.name, one.record_type, one.environment].join(" ")}
              className="flex flex-wrap items-baseline gap-x-3 border-t border-base-300 py-1.5"
            >
              <span className="w-32 text-xs opacity-80">{one.record_type || one.word}</span>
              {place ? (
                <Link className="link font-medium" to={`/p/${project}/${place}`}>
                  {title}
                </Link>
              ) : (
                <span className="font-medium">{title}</span>
              )}
              {one.environment && <Tag>{one.environment}</Tag>}
              {!["name", "title", "key", "number"].includes(one.where) && (
                <span className="min-w-0 truncate text-xs opacity-85">
                  <code>{one.where}</code> {one.text}
                </span>
              )}
            </li>
          );
        })}
      </ul>
      {found.data && !found.data.is_all && (
        <p className="mt-3 text-sm opacity-80">There is more: search for a longer text.</p>
      )}
    </Page>
  );
}
