import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode, Suspense, lazy } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, Navigate, RouterProvider } from "react-router";
import { Problem } from "./api/client";
import { NewProject } from "./features/administration/NewProject";
import { SignInAgain, SignInPage } from "./features/session/SignIn";
import { useSession } from "./features/session/session";
import "./index.css";
import { Layout, Page } from "./ui/Layout";
import { Empty, Waiting } from "./ui/parts";
import { ProblemAlert } from "./ui/ProblemAlert";

const Overview = lazy(() => import("./features/overview/Overview"));
const Services = lazy(() => import("./features/services/Services"));
const ServicePage = lazy(() => import("./features/services/ServicePage"));
const ConnectionPage = lazy(() => import("./features/services/ConnectionPage"));
const ImportPage = lazy(() => import("./features/definitions/ImportPage"));
const DefinitionPage = lazy(() => import("./features/definitions/DefinitionPage"));
const Events = lazy(() => import("./features/events/Events"));
const Environments = lazy(() => import("./features/environments/Environments"));
const Releases = lazy(() => import("./features/releases/Releases"));
const Applications = lazy(() => import("./features/applications/Applications"));
const SignedIn = lazy(() => import("./features/applications/SignedIn"));
const UsePage = lazy(() => import("./features/applications/UsePage"));
const SearchPage = lazy(() => import("./features/finding/SearchPage"));
const Queries = lazy(() => import("./features/queries/Queries"));
const Bench = lazy(() => import("./features/bench/Bench"));
const Records = lazy(() => import("./features/records/Records"));
const RecordList = lazy(() => import("./features/records/RecordList"));
const RecordPage = lazy(() => import("./features/records/RecordPage"));
const Cases = lazy(() => import("./features/releases/Cases"));
const BindingPage = lazy(() => import("./features/records/BindingPage"));
const Flows = lazy(() => import("./features/flows/Flows"));
const FlowPage = lazy(() => import("./features/flows/FlowPage"));
const FeedPage = lazy(() => import("./features/records/FeedPage"));
const Runs = lazy(() => import("./features/runs/Runs"));
const Calendar = lazy(() => import("./features/runs/Calendar"));
const Administration = lazy(() => import("./features/administration/Administration"));
const Account = lazy(() => import("./features/administration/Account"));
const CallPage = lazy(() => import("./features/runs/CallPage"));
const RunPage = lazy(() => import("./features/runs/RunPage"));

document.documentElement.dataset.theme =
  localStorage.getItem("theme") ?? (matchMedia("(prefers-color-scheme: dark)").matches ? "night" : "day");

const cache = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (count, error) => count < 2 && error instanceof Problem && error.document.status >= 503,
      refetchOnWindowFocus: false,
    },
  },
});

/** Sends whoever is signed in to their project; keeps everybody else at the door. */
function Door({ children }: { children: React.ReactNode }) {
  const session = useSession();
  if (!session.data) {
    if (session.error instanceof Problem && session.error.document.status === 401) return <SignInPage />;
    return session.error ? <ProblemAlert error={session.error} /> : <Waiting what="Opening" />;
  }
  return (
    <>
      <Suspense fallback={<Waiting what="Loading" />}>{children}</Suspense>
      <SignInAgain />
    </>
  );
}

function Home() {
  const session = useSession().data;
  const last = localStorage.getItem("project");
  const first = session?.projects.find((one) => one.name === last) ?? session?.projects[0];
  if (first) return <Navigate to={`/p/${first.name}`} replace />;
  return (
    <Page title="No project">
      <Empty title="You belong to no project yet">
        {session?.is_administrator ? (
          <div className="mt-3 flex justify-center">
            <NewProject isFocused />
          </div>
        ) : (
          "An administrator can make you a member."
        )}
      </Empty>
    </Page>
  );
}

const Nowhere = () => (
  <Page title="Nothing here">
    <Empty title="There is no such page">Choose one above.</Empty>
  </Page>
);

const router = createBrowserRouter([
  {
    path: "/",
    element: (
      <Door>
        <Home />
      </Door>
    ),
  },
  {
    path: "/p/:project",
    element: (
      <Door>
        <Layout />
      </Door>
    ),
    children: [
      { index: true, element: <Overview /> },
      { path: "services", element: <Services /> },
      { path: "services/:name", element: <ServicePage /> },
      { path: "connections/:name", element: <ConnectionPage /> },
      { path: "import", element: <ImportPage /> },
      { path: "definitions/:name", element: <DefinitionPage /> },
      { path: "queries", element: <Queries /> },
      { path: "events", element: <Events /> },
      { path: "environments", element: <Environments /> },
      { path: "releases", element: <Releases /> },
      { path: "applications", element: <Applications /> },
      { path: "search", element: <SearchPage /> },
      { path: "operations/:name", element: <Bench /> },
      { path: "records", element: <Records /> },
      { path: "records/:type", element: <RecordList /> },
      { path: "records/:type/*", element: <RecordPage /> },
      { path: "cases", element: <Cases /> },
      { path: "bindings/:type", element: <BindingPage /> },
      { path: "feeds/:name", element: <FeedPage /> },
      { path: "flows", element: <Flows /> },
      { path: "flows/:name", element: <FlowPage /> },
      { path: "administration", element: <Administration /> },
      { path: "account", element: <Account /> },
      { path: "runs", element: <Runs /> },
      { path: "calendar", element: <Calendar /> },
      { path: "runs/:id", element: <RunPage /> },
      { path: "runs/:id/calls/:number", element: <CallPage /> },
      { path: "*", element: <Nowhere /> },
    ],
  },
  {
    path: "/use/:project/:environment",
    element: (
      <Suspense fallback={<Waiting what="Loading" />}>
        <UsePage />
      </Suspense>
    ),
  },
  {
    path: "/use/:project/:environment/signed-in",
    element: (
      <Suspense fallback={<Waiting what="Loading" />}>
        <SignedIn />
      </Suspense>
    ),
  },
  {
    path: "*",
    element: (
      <Door>
        <Home />
      </Door>
    ),
  },
]);

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={cache}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  </StrictMode>,
);
