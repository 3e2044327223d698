import { createBrowserRouter, type RouteObject } from "react-router";
import { Shell } from "../ui/Shell";
import { NotHere, RouteProblem } from "../ui/States";

/** A view is loaded when it is first shown. */
const view =
  <K extends string>(name: K, load: () => Promise<Record<K, React.ComponentType>>): RouteObject["lazy"] =>
  async () => ({ Component: (await load())[name] });

export const router = createBrowserRouter([
  { path: "/sign-in", lazy: view("SignIn", () => import("../features/session/SignIn")) },
  { path: "/back", lazy: view("Back", () => import("../features/session/Back")) },
  { path: "/welcome", lazy: view("Welcome", () => import("../features/session/Welcome")) },
  {
    element: <Shell />,
    errorElement: <RouteProblem />,
    children: [
      { path: "/", lazy: view("SiteList", () => import("../features/sites/SiteList")) },
      { path: "/checks", lazy: view("CheckList", () => import("../features/checks/CheckList")) },
      { path: "/ask", lazy: view("AskAll", () => import("../features/portfolio/AskAll")) },
      { path: "/inbox", lazy: view("InboxPage", () => import("../features/inbox/InboxPage")) },
      { path: "/ways", lazy: view("WaysPage", () => import("../features/inbox/WaysPage")) },
      { path: "/week", lazy: view("WeekPage", () => import("../features/watch/WeekPage")) },
      { path: "/sites/:site/watch", lazy: view("WatchPage", () => import("../features/watch/WatchPage")) },
      { path: "/queue", lazy: view("QueuePage", () => import("../features/queue/QueuePage")) },
      { path: "/people", lazy: view("PeoplePage", () => import("../features/people/PeoplePage")) },
      { path: "/trail", lazy: view("TrailPage", () => import("../features/people/TrailPage")) },
      { path: "/me", lazy: view("MePage", () => import("../features/people/MePage")) },
      { path: "/look", lazy: view("LookPage", () => import("../features/look/LookPage")) },
      { path: "/sites/:site", lazy: view("SitePage", () => import("../features/crawls/SitePage")) },
      { path: "/sites/:site/plan", lazy: view("PlanPage", () => import("../features/plan/PlanPage")) },
      {
        path: "/sites/:site/checks",
        lazy: view("SiteChecks", () => import("../features/checks/SiteChecks")),
      },
      {
        path: "/sites/:site/waivers",
        lazy: view("WaiversPage", () => import("../features/fixlist/WaiversPage")),
      },
      {
        path: "/sites/:site/figures",
        lazy: view("FiguresPage", () => import("../features/handover/FiguresPage")),
      },
      {
        path: "/sites/:site/:crawl",
        lazy: view("CrawlFrame", () => import("../features/crawls/CrawlFrame")),
        children: [
          { index: true, lazy: view("Overview", () => import("../features/overview/Overview")) },
          { path: "fixes", lazy: view("FixListPage", () => import("../features/fixlist/FixListPage")) },
          { path: "tables", lazy: view("TablesPage", () => import("../features/tables/TablesPage")) },
          { path: "pages", lazy: view("OldPages", () => import("../features/tables/OldPages")) },
          { path: "page", lazy: view("PageDetail", () => import("../features/pages/PageDetail")) },
          { path: "compare", lazy: view("Compare", () => import("../features/pages/Compare")) },
          { path: "left", lazy: view("LeftOut", () => import("../features/crawls/LeftOut")) },
          { path: "doors", lazy: view("Doors", () => import("../features/crawls/Doors")) },
          { path: "drift", lazy: view("DriftPage", () => import("../features/history/DriftPage")) },
          { path: "speed", lazy: view("SpeedPage", () => import("../features/speed/SpeedPage")) },
          { path: "map", lazy: view("MapPage", () => import("../features/history/MapPage")) },
          { path: "report", lazy: view("ReportPage", () => import("../features/handover/ReportPage")) },
          { path: "export", lazy: view("ExportPage", () => import("../features/handover/ExportPage")) },
        ],
      },
      { path: "*", element: <NotHere /> },
    ],
  },
]);
