/** Addresses: the list of projects, and four places in each. */
import { createBrowserRouter, Navigate } from "react-router";
import { AreaPlace } from "../places/area/AreaPlace";
import { BinPlace } from "../places/bin/BinPlace";
import { BringInPlace } from "../places/bring-in/BringInPlace";
import { ReleasePlace } from "../places/release/ReleasePlace";
import { ReviewPlace } from "../places/review/ReviewPlace";
import { RowsPlace } from "../places/rows/RowsPlace";
import { RunsPlace } from "../places/runs/RunsPlace";
import { NotFound } from "./NotFound";
import { ProjectList } from "./ProjectList";
import { ProjectShell } from "./ProjectShell";
import { Root } from "./Root";

export const router = createBrowserRouter([
  {
    element: <Root />,
    children: [
      { path: "/", element: <ProjectList /> },
      { path: "/guide/:page?", lazy: async () => ({ Component: (await import("./GuidePage")).GuidePage }) },
      {
        path: "/p/:projectId",
        element: <ProjectShell />,
        children: [
          { index: true, element: <Navigate to="rows" replace /> },
          { path: "rows", element: <RowsPlace /> },
          { path: "rows/bring-in/:importId?", element: <BringInPlace /> },
          { path: "rows/area", element: <AreaPlace /> },
          { path: "rows/bin", element: <BinPlace /> },
          { path: "runs", element: <RunsPlace /> },
          { path: "review", element: <ReviewPlace /> },
          { path: "release", element: <ReleasePlace /> },
        ],
      },
      { path: "*", element: <NotFound /> },
    ],
  },
]);
