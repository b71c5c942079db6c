import { lazy } from "react";
import { createBrowserRouter, type RouteObject } from "react-router";
import { HomeStage } from "../features/home/HomeStage";
import { NewProblem } from "../features/brief/NewProblem";
import { BriefStage } from "../features/brief/BriefStage";
import { SpaceStage } from "../features/space/SpaceStage";
import { LiveStage } from "../features/live/LiveStage";
import { EvidenceStage } from "../features/evidence/EvidenceStage";
import { Shell } from "./Shell";
import { Broken, Missing } from "./Broken";

// The largest stage, and the last that anybody comes to.
const DecisionStage = lazy(() =>
  import("../features/decision/DecisionStage").then((found) => ({ default: found.DecisionStage })),
);

export const routes: RouteObject[] = [
  {
    path: "/",
    element: <Shell />,
    errorElement: <Broken />,
    children: [
      { index: true, element: <HomeStage /> },
      { path: "new", element: <NewProblem /> },
      { path: "p/:problem/brief", element: <BriefStage /> },
      { path: "p/:problem/space", element: <SpaceStage /> },
      { path: "p/:problem/live", element: <LiveStage /> },
      { path: "p/:problem/evidence", element: <EvidenceStage /> },
      { path: "p/:problem/decision", element: <DecisionStage /> },
      { path: "*", element: <Missing /> },
    ],
  },
];

export const router = createBrowserRouter(routes);
