import { ChevronDown, Moon, Search, Sun } from "lucide-react";
import { useQueryClient } from "@tanstack/react-query";
import { Suspense, useEffect, useState, useSyncExternalStore } from "react";
import { Link, NavLink, Outlet, useLocation, useParams } from "react-router";
import { NewProject } from "../features/administration/NewProject";
import { Waiting } from "./parts";
import { Dialog } from "./Dialog";
import { ProblemAlert } from "./ProblemAlert";
import { useSession, useSignOut } from "../features/session/session";

const PAGES = [
  ["", "Overview", /^$/],
  ["services", "Services", /^(services|connections|operations|import|definitions|queries)/],
  ["records", "Records", /^(records|feeds)/],
  ["flows", "Flows", /^flows/],
  ["runs", "Runs", /^(runs|calendar)/],
  ["events", "Events", /^events/],
  ["environments", "Environments", /^environments/],
  ["releases", "Releases", /^releases/],
  ["applications", "Applications", /^applications/],
] as const;

export function Layout() {
  const { project = "" } = useParams();
  const session = useSession();
  const signOut = useSignOut();
  const place = useLocation().pathname.split("/").slice(3).join("/");
  const here = session.data?.projects.find((one) => one.name === project);
  const mayAdminister = session.data?.is_administrator || here?.permissions.includes("administer");
  const isKnown = here !== undefined;
  useEffect(() => {
    if (isKnown) localStorage.setItem("project", project);
  }, [project, isKnown]);
  return (
    <div className="flex min-h-screen flex-col bg-base-100 text-base-content">
      <a href="#main" className="sr-only focus:not-sr-only">
        Skip to the content
      </a>
      <header className="bg-neutral text-neutral-content">
        <div className="flex flex-wrap items-center gap-x-5 px-4">
          <NavLink to={`/p/${project}`} className="flex items-center gap-2 py-2.5 font-semibold tracking-tight">
            <img src="/assets/swift.svg" alt="" className="size-6" /> rondine
          </NavLink>
          <nav
            aria-label="Pages"
            className="order-last flex w-full flex-wrap gap-x-4 sm:order-none sm:w-auto sm:gap-x-5"
          >
            {PAGES.map(([path, title, covers]) => (
              <NavLink
                key={path}
                to={`/p/${project}${path && `/${path}`}`}
                aria-current={covers.test(place) ? "page" : undefined}
                className={`border-b-2 py-2.5 text-sm ${covers.test(place) ? "border-accent text-neutral-content" : "border-transparent opacity-80 hover:opacity-100"}`}
              >
                {title}
              </NavLink>
            ))}
          </nav>
          <div className="ml-auto flex items-center gap-3 text-sm">
            <ProjectMenu project={project} />
            <Link to={`/p/${project}/search`} className="py-2" aria-label="Search" title="Search">
              <Search className="size-4" aria-hidden />
            </Link>
            <ThemeSwitch />
            {session.data && (
              <div className="dropdown dropdown-end">
                <button type="button" className="cursor-pointer py-2">
                  {session.data.title}
                  <span className="ml-1 hidden text-xs opacity-70 sm:inline">{here?.role}</span>
                </button>
                <ul className={MENU}>
                  <li>
                    <Link to={`/p/${project}/account`} onClick={leave}>
                      Tokens and password
                    </Link>
                  </li>
                  {mayAdminister && (
                    <li>
                      <Link to={`/p/${project}/administration`} onClick={leave}>
                        Administration
                      </Link>
                    </li>
                  )}
                  <li>
                    <button type="button" onClick={() => signOut.mutate()}>
                      Sign out
                    </button>
                  </li>
                </ul>
              </div>
            )}
          </div>
        </div>
      </header>
      <main id="main" className="flex flex-1 flex-col">
        <NotRenewed />
        {/* a boundary of its own for each kind of page: what was clicked shows at once, also while its code is on the way */}
        <Suspense
          key={place
            .split("/")
            .map((part, number) => (number ? "" : part))
            .join("/")}
          fallback={<Waiting what="Loading" />}
        >
          <Outlet />
        </Suspense>
      </main>
    </div>
  );
}

/** Said while something on the page could not be read anew: it stays as it was, and with it what was typed. */
function NotRenewed() {
  const client = useQueryClient();
  const cache = client.getQueryCache();
  const failed = useSyncExternalStore(
    (onChange) => cache.subscribe(onChange),
    () => cache.getAll().find((one) => one.isActive() && one.state.status === "error" && one.state.data !== undefined),
  );
  if (!failed) return null;
  return (
    <ProblemAlert error={failed.state.error}>
      <p className="flex flex-wrap gap-x-3">
        What is shown was read at {new Date(failed.state.dataUpdatedAt).toLocaleTimeString()}.
        <button
          type="button"
          className="link"
          onClick={() =>
            void client.refetchQueries({ type: "active", predicate: (one) => one.state.status === "error" })
          }
        >
          Read it again
        </button>
      </p>
    </ProblemAlert>
  );
}

const MENU = "menu dropdown-content z-20 w-56 rounded-box border border-base-300 bg-base-100 text-base-content shadow";

/** The menus are open while they have the focus. */
const leave = () => (document.activeElement as HTMLElement | null)?.blur();

/** The project one is in, and the way to others or to a new one. */
function ProjectMenu({ project }: { project: string }) {
  const session = useSession().data;
  const [isMaking, setMaking] = useState(false);
  const here = session?.projects.find((one) => one.name === project);
  if (!session) return null;
  if (session.projects.length < 2 && !session.is_administrator)
    return <span className="hidden opacity-80 md:inline">{here?.title}</span>;
  return (
    <>
      <div className="dropdown dropdown-end">
        <button type="button" className="flex cursor-pointer items-center gap-1 py-2" aria-label="Project">
          <span className="max-w-48 truncate opacity-90">{here?.title ?? project}</span>{" "}
          <ChevronDown className="size-3.5 opacity-70" aria-hidden />
        </button>
        <ul className={MENU}>
          {session.projects.map((one) => (
            <li key={one.name}>
              <Link to={`/p/${one.name}`} aria-current={one.name === project || undefined} onClick={leave}>
                {one.title}
              </Link>
            </li>
          ))}
          {session.is_administrator && (
            <li>
              <button
                type="button"
                onClick={() => {
                  leave();
                  setMaking(true);
                }}
              >
                New project …
              </button>
            </li>
          )}
        </ul>
      </div>
      {isMaking && <NewProjectDialog onClose={() => setMaking(false)} />}
    </>
  );
}

function NewProjectDialog({ onClose }: { onClose: () => void }) {
  return (
    <Dialog label="New project" onClose={onClose}>
      <h2 className="mb-1 text-lg font-semibold">New project</h2>
      <p className="mb-3 text-sm opacity-80">
        It begins empty, with the environments test and live, and you as its administrator.
      </p>
      <NewProject isFocused onMade={onClose} />
    </Dialog>
  );
}

function ThemeSwitch() {
  const [theme, setTheme] = useState(() => document.documentElement.dataset.theme ?? "day");
  const other = theme === "day" ? "night" : "day";
  return (
    <button
      type="button"
      className="cursor-pointer p-1.5"
      aria-label={`Switch to the ${other} theme`}
      onClick={() => {
        document.documentElement.dataset.theme = other;
        localStorage.setItem("theme", other);
        setTheme(other);
      }}
    >
      {theme === "day" ? <Moon className="size-4" aria-hidden /> : <Sun className="size-4" aria-hidden />}
    </button>
  );
}

/** A page's frame: title line, then content. */
export function Page({
  title,
  aside,
  children,
}: {
  title: React.ReactNode;
  aside?: React.ReactNode;
  children: React.ReactNode;
}) {
  return (
    <div className="mx-auto w-full max-w-6xl px-4 py-5">
      <div className="mb-5 flex flex-wrap items-center gap-3">
        <h1 className="text-xl font-semibold">{title}</h1>
        <div className="flex flex-1 flex-wrap items-center gap-2">{aside}</div>
      </div>
      {children}
    </div>
  );
}

/** A page before it has what it shows: waiting for it, or refused. */
export function NotYet({ title, what, error }: { title: React.ReactNode; what: string; error: unknown }) {
  return <Page title={title}>{error ? <ProblemAlert error={error} /> : <Waiting what={what} />}</Page>;
}
