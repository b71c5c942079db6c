import Button from "@mui/material/Button";
import { lazy, Suspense, useMemo, useState } from "react";
import { Link } from "react-router";
import type { Problem, Search } from "../../api/client";
import { useCatalogue } from "../../api/workspace";
import { useCurves, useLanes, usePoints } from "../../api/searches";
import { useChosen } from "../../ui/place";
import { duration, percent } from "../../lib/format";
import { scoreScale } from "../../lib/ramp";
import { TrialCurves } from "../../charts/TrialCurves";
import { WorkerLanes } from "../../charts/WorkerLanes";
import { useWaiting } from "../../api/machines";
import { Asking } from "./Asking";
import { Controls } from "./Controls";
import { FrontGrowing } from "./FrontGrowing";
import { Idle } from "./Idle";
import { NowAndLast } from "./NowAndLast";
import { Population } from "./Population";
import { Rungs } from "./Rungs";
import { Savings } from "./Savings";
import { Switch } from "../../ui/Switch";

const BestCurve = lazy(() => import("../../charts/BestCurve"));
const SPANS = { "last minute": 60, "10 minutes": 600, everything: 1e9 };

export function LiveStage() {
  const { problemView, problemQuery, searchesQuery, chosen, inspect } = useChosen();
  if (problemQuery.isError)
    return (
      <p className="stage ember" role="alert">
        {problemQuery.error.message}
      </p>
    );
  if (!problemView || searchesQuery.isPending) return <p className="stage soft">Listening …</p>;
  if (!chosen) return <NothingYet problem={problemView} />;
  return <Watch key={chosen.id} problem={problemView} search={chosen} inspect={inspect} />;
}

function NothingYet({ problem }: { problem: Problem }) {
  return (
    <div className="stage col opening">
      <h1>Nothing has been launched</h1>
      <p className="soft">
        Here you will watch trials being scored: the best so far, what each worker does, and what failed. Lay out the
        space first.
      </p>
      <div>
        <Button variant="contained" component={Link} to={`/p/${problem.id}/space`}>
          To the space
        </Button>
      </div>
    </div>
  );
}

function Watch({ problem, search, inspect }: { problem: Problem; search: Search; inspect: (id: number) => void }) {
  const points = usePoints(search.id).data;
  const grows = search.stopping.key !== "none" || search.stopping.resource !== "";
  const curves = useCurves(search.kind === "search" && grows ? search.id : null).data; // of thousands of trials: only to be drawn
  const learner = useCatalogue().data?.learners.find((l) => l.key === search.learner);
  const counter = problem.code?.grows?.what ?? learner?.counter ?? "iterations";
  const outside = problem.code?.kind === "outside";
  const lanes = useLanes(search.id).data;
  const waiting = useWaiting(search.id, search.state === "running").data;
  const [by, setBy] = useState<"trials" | "seconds">("trials");
  const several = search.kind === "search" && search.against.length > 0;
  const [shown, setShown] = useState<"front" | "best">("front");
  const fronts = several && shown === "front";
  const [span, setSpan] = useState<keyof typeof SPANS>("last minute");
  const larger = problem.judging.larger_is_better;
  const scale = useMemo(() => scoreScale(points?.means ?? [], larger, points?.fold_effects), [points, larger]);
  const used = search.active_seconds > 0 ? search.busy_seconds / (search.active_seconds * search.workers) : null;
  const pick = (number: number) => {
    const index = points?.numbers.indexOf(number) ?? -1;
    if (index >= 0) inspect(points!.ids[index]!);
  };
  return (
    <div className="stage apart top live-bench">
      <div className="col apart">
        <Controls search={search} />
        <section className="sheet drawing">
          <div className="row">
            <h2 className="grow">{fronts ? "The front" : "Best so far"}</h2>
            {several && <Switch label="Show" options={["front", "best"]} value={shown} onChange={setShown} />}
            {!fronts && <Switch label="Along" options={["trials", "seconds"]} value={by} onChange={setBy} />}
          </div>
          <div style={{ height: fronts ? undefined : grows ? 176 : 300, minHeight: grows ? 176 : 300 }}>
            {fronts ? (
              <FrontGrowing search={search} height={grows ? 216 : 284} inspect={inspect} />
            ) : points && points.means.some((m) => m !== null) ? (
              <Suspense fallback={<p className="soft">Drawing …</p>}>
                <BestCurve
                  points={points}
                  larger={larger}
                  metric={problem.judging.metric_label}
                  baseline={search.baseline}
                  by={by}
                  onPick={(index) => inspect(points.ids[index]!)}
                />
              </Suspense>
            ) : (
              <p className="soft centred nothing-yet">The first score will appear here; the baseline runs first.</p>
            )}
          </div>
        </section>
        {curves && (
          <section className="sheet drawing" aria-label="Curves">
            <h2>{curves.population ? "The population" : "Score along the way"}</h2>
            {curves.population && points ? (
              <Population
                curves={curves}
                points={points}
                scale={scale}
                counter={counter}
                steerable={problem.code?.grows?.may_change ?? learner?.steerable ?? []}
                onPick={inspect}
              />
            ) : (
              <TrialCurves
                curves={curves}
                larger={larger}
                metric={problem.judging.metric_label}
                counter={counter}
                scale={scale}
                height={232}
                onPick={inspect}
              />
            )}
          </section>
        )}
        <section className="sheet col padded">
          <div className="row">
            <h2 className="grow">Workers</h2>
            {used !== null && search.state !== "running" && (
              <span className="small soft">
                {percent(Math.min(used, 1))} of {duration(search.active_seconds)} × {search.workers} used
              </span>
            )}
            <Switch
              label="Show"
              options={Object.keys(SPANS) as (keyof typeof SPANS)[]}
              value={span}
              onChange={setSpan}
            />
          </div>
          {lanes && (
            <WorkerLanes
              lanes={lanes}
              workers={outside ? 1 : search.workers}
              running={search.state === "running" && !search.halted}
              span={SPANS[span]}
              places={waiting?.lanes}
              onPick={pick}
            />
          )}
          {waiting && !outside && <Idle waiting={waiting} />}
        </section>
      </div>
      <aside className="col apart">
        {outside && search.state === "running" && <Asking search={search.id} />}
        <Savings search={search} inspect={inspect} />
        {curves && !curves.population && <Rungs curves={curves} counter={counter} />}
        <NowAndLast
          search={search}
          folds={search.folds}
          scale={scale}
          lanes={lanes}
          points={points}
          inspect={inspect}
        />
      </aside>
    </div>
  );
}
