import { createBrowserRouter } from "react-router";
import { CheckList } from "../features/checks/CheckList";
import { CrawlFrame } from "../features/crawls/CrawlFrame";
import { Doors } from "../features/crawls/Doors";
import { LeftOut } from "../features/crawls/LeftOut";
import { SitePage } from "../features/crawls/SitePage";
import { FixListPage } from "../features/fixlist/FixListPage";
import { WaiversPage } from "../features/fixlist/WaiversPage";
import { ExportPage } from "../features/handover/ExportPage";
import { FiguresPage } from "../features/handover/FiguresPage";
import { DriftPage } from "../features/history/DriftPage";
import { MapPage } from "../features/history/MapPage";
import { LookPage } from "../features/look/LookPage";
import { Compare } from "../features/pages/Compare";
import { PageDetail } from "../features/pages/PageDetail";
import { PagesTable } from "../features/pages/PagesTable";
import { PlanPage } from "../features/plan/PlanPage";
import { SignIn } from "../features/session/SignIn";
import { SiteList } from "../features/sites/SiteList";
import { Shell } from "../ui/Shell";
import { NotHere, RouteProblem } from "../ui/States";

export const router = createBrowserRouter([
  { path: "/sign-in", element: <SignIn /> },
  {
    element: <Shell />,
    errorElement: <RouteProblem />,
    children: [
      { path: "/", element: <SiteList /> },
      { path: "/checks", element: <CheckList /> },
      { path: "/look", element: <LookPage /> },
      { path: "/sites/:site", element: <SitePage /> },
      { path: "/sites/:site/plan", element: <PlanPage /> },
      { path: "/sites/:site/waivers", element: <WaiversPage /> },
      { path: "/sites/:site/figures", element: <FiguresPage /> },
      {
        path: "/sites/:site/:crawl",
        element: <CrawlFrame />,
        children: [
          { index: true, element: <FixListPage /> },
          { path: "pages", element: <PagesTable /> },
          { path: "page", element: <PageDetail /> },
          { path: "compare", element: <Compare /> },
          { path: "left", element: <LeftOut /> },
          { path: "doors", element: <Doors /> },
          { path: "drift", element: <DriftPage /> },
          { path: "map", element: <MapPage /> },
          { path: "export", element: <ExportPage /> },
        ],
      },
      { path: "*", element: <NotHere /> },
    ],
  },
]);
