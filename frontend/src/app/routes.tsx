import { createBrowserRouter, type RouteObject } from "react-router";
import { HomeStage } from "../stages/home/HomeStage";
import { NewProblem } from "../stages/brief/NewProblem";
import { BriefStage } from "../stages/brief/BriefStage";
import { SpaceStage } from "../stages/space/SpaceStage";
import { LiveStage } from "../stages/live/LiveStage";
import { EvidenceStage } from "../stages/evidence/EvidenceStage";
import { DecisionStage } from "../stages/decision/DecisionStage";
import { Shell } from "./Shell";
import { Broken, Missing } from "./Broken";

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
