import { OtherObjective } from "../../ui/OtherObjective";
import Button from "@mui/material/Button";
import { useEffect, useMemo, useState } from "react";
import {
  type CodeProblem,
  type Learner,
  type Problem,
  type Points,
  type Search,
  type TableProblem,
  isCode,
  isTable,
} from "../../api/client";
import { useEvidence, type Evidence } from "../../api/evidence";
import { useBaselines } from "../../api/problems";
import { useCatalogue, useLearner } from "../../api/workspace";
import { usePoints } from "../../api/searches";
import { useChosen } from "../../ui/place";
import { configurations, count } from "../../lib/format";
import { scoreScale, withCurves } from "../../lib/ramp";
import { sentencesIn } from "../../lib/sentences";
import { replaceLine } from "../../lib/change";
import { isRequirement, tucked, type Parameter } from "../../lib/scale";
import { Comparison } from "./Comparison";
import { LaneRow } from "./LaneRow";
import { LearnerPicker } from "./LearnerPicker";
import { Notation } from "./Notation";
import { PipelineStrip } from "./PipelineStrip";
import { PlanRow } from "./PlanRow";
import { SpaceText } from "./SpaceText";
import { restsOn } from "./planDraft";
import { useCarried } from "./useCarried";
import { useSpaceDraft } from "./useSpaceDraft";

export function SpaceStage() {
  const { problemView, problemQuery, chosen, searchesQuery, inspect } = useChosen();
  const catalogue = useCatalogue().data;
  const baselines = useBaselines(problemView && isTable(problemView) ? problemView.id : null);
  if (problemQuery.isError)
    return (
      <p className="stage ember" role="alert">
        {problemQuery.error.message}
      </p>
    );
  if (!problemView || !catalogue || searchesQuery.isPending || baselines.isLoading)
    return <p className="stage soft">Laying out the lanes …</p>;
  if (isCode(problemView))
    return (
      <CodeBench
        key={problemView.id}
        problem={problemView}
        chosen={chosen}
        searches={searchesQuery.data ?? []}
        inspect={inspect}
      />
    );
  if (!isTable(problemView)) return <OtherObjective problem={problemView} what="is no learner to choose" />;
  const learners = catalogue.learners.filter((l) => l.installed && l.tasks.includes(problemView.brief.task));
  return (
    <Bench
      key={problemView.id}
      problem={problemView}
      learners={learners}
      best={baselines.data?.find((b) => b.score !== null)?.learner}
      chosen={chosen}
      searches={searchesQuery.data ?? []}
      inspect={inspect}
    />
  );
}

interface BenchProps {
  problem: TableProblem;
  learners: Learner[];
  chosen: Search | null;
  searches: Search[];
  inspect: (id: number) => void;
}

function Bench({ problem, learners, best, chosen, searches, inspect }: BenchProps & { best: string | undefined }) {
  const task = problem.brief.task;
  // Whichever does best as it comes; boosting where nothing is known yet.
  const preferred = learners.find((l) => l.key === (best ?? "boosting")) ?? learners[0]!;
  const draft = useSpaceDraft(
    problem.id,
    restsOn(searches),
    task,
    chosen ? { learner: chosen.learner, text: chosen.space } : { learner: preferred.key, text: null },
  );
  const found = useLearner(draft.learner, task);
  const learner = found.data ?? preferred;
  const told = chosen && chosen.learner === draft.learner ? chosen.id : null;
  const points = usePoints(told).data ?? null;
  const evidence = useEvidence(told).data;
  return (
    <Laying problem={problem} draft={draft} searches={searches}>
      <LearnerPicker
        learners={learners}
        chosen={draft.learner}
        sentence={learner.sentence}
        onChoose={draft.setLearner}
      />
      {found.error && (
        <p role="alert" className="ember small" data-error="learner">
          {found.error.message}
        </p>
      )}
      <PipelineStrip
        learner={learner}
        parameters={draft.parameters}
        onSearch={(line) => draft.setText(`${draft.text.replace(/\s*$/, "")}\n${line}\n`)}
      />
      <Lanes
        draft={draft}
        learner={learner}
        points={points}
        evidence={evidence ?? null}
        larger={problem.judging.larger_is_better}
        inspect={inspect}
        task={task}
      />
    </Laying>
  );
}

type CodeBenchProps = Omit<BenchProps, "problem" | "learners"> & { problem: CodeProblem };

/** The space of own code: its settings are whatever the space names. */
function CodeBench({ problem, chosen, searches, inspect }: CodeBenchProps) {
  const draft = useSpaceDraft(problem.id, restsOn(searches), null, {
    learner: "",
    text: chosen?.space ?? (problem.code.space || null),
  });
  const points = usePoints(chosen?.id ?? null).data ?? null;
  const evidence = useEvidence(chosen?.id ?? null).data;
  const sentences = useMemo(() => sentencesIn(problem.code.space), [problem.code.space]);
  return (
    <Laying problem={problem} draft={draft} searches={searches}>
      <div>
        <h1>{problem.code.label}</h1>
        <p className="small soft">
          Its settings are what the space on the right names: a line for each, such as rate: 1e-4 .. 1 log.
        </p>
      </div>
      <Lanes
        draft={draft}
        learner={null}
        sentences={sentences}
        points={points}
        evidence={evidence ?? null}
        larger={problem.judging.larger_is_better}
        inspect={inspect}
        task=""
      />
    </Laying>
  );
}

interface LayingProps {
  problem: Problem;
  draft: ReturnType<typeof useSpaceDraft>;
  searches: Search[];
  children: React.ReactNode;
}

/** Lanes on the left, the same space as text on the right, the plan at the foot. */
function Laying({ problem, draft, searches, children }: LayingProps) {
  useUndoKey(draft.undo);
  useCarried(draft);
  return (
    <div className="space-and-plan">
      <div className="stage far scrolls full top space-bench">
        <section className="col apart">
          <h1 className="unseen">The space of {problem.name}</h1>
          {children}
        </section>
        <section className="col stays">
          <div className="row">
            <h2 className="grow">The same space as text</h2>
            <Button disabled={!draft.canUndo} onClick={draft.undo}>
              Undo
            </Button>
            <Button onClick={draft.reset}>Defaults</Button>
          </div>
          <SpaceText text={draft.text} onText={draft.setText} checked={draft.checked} refusal={draft.refusal} />
          {draft.good && (
            <p className="small soft">
              {draft.good.configurations !== null
                ? configurations(draft.good.configurations)
                : draft.good.at_most !== null
                  ? `At most ${configurations(draft.good.at_most)}`
                  : "Endlessly many configurations"}
              {draft.good.grid !== null && ` (a grid of ${count(draft.good.grid)})`}.
            </p>
          )}
          <Notation />
          <Comparison searches={searches} text={draft.text} learner={draft.learner} ready={draft.inStep} />
        </section>
      </div>
      <PlanRow
        problem={problem}
        learner={draft.learner}
        space={draft.text}
        ready={draft.inStep}
        searches={searches}
        onLearner={isTable(problem) ? draft.setLearner : null}
      />
    </div>
  );
}

interface LanesProps {
  draft: ReturnType<typeof useSpaceDraft>;
  learner: Learner | null;
  sentences?: Record<string, string>; // of own code's settings
  points: Points | null;
  evidence: Evidence | null;
  larger: boolean;
  task: string;
  inspect: (id: number) => void;
}

function Lanes({ draft, learner, sentences = {}, points, evidence, larger, task, inspect }: LanesProps) {
  const [hovered, setHovered] = useState<number | null>(null);
  const scale = useMemo(
    () => withCurves(scoreScale(points?.means ?? [], larger), evidence?.curves.map((curve) => curve.average) ?? []),
    [points, larger, evidence],
  );
  const { parameters } = draft;
  if (!parameters) return <p className="soft">{draft.checked?.error ? "Mend the text to see its lanes." : "…"}</p>;
  const settings = (learner?.settings ?? []).filter((s) => s.tasks.includes(task));
  const put = (changed: Parameter) =>
    void draft.setParameters(draft.entries!.map((e) => (!isRequirement(e) && e.name === changed.name ? changed : e)));
  const requirements = draft.entries!.filter(isRequirement);
  const away = settings.filter((s) => s.part === "learner" && !parameters.some((p) => p.name === s.name));
  return (
    <>
      <div className="sheet edged">
        {tucked(parameters, draft.good?.parents ?? {}).map(({ parameter, depth }) => (
          <LaneRow
            key={parameter.name}
            depth={depth}
            parameter={parameter}
            setting={settings.find((s) => s.name === parameter.name)}
            sentence={sentences[parameter.name]}
            draws={draft.good?.draws[parameter.name] ?? []}
            points={points}
            scale={scale}
            curve={evidence?.curves.find((curve) => curve.name === parameter.name)}
            matters={evidence?.singles.find((one) => one.name === parameter.name)}
            hovered={hovered}
            onHover={setHovered}
            onPick={(index) => points && inspect(points.ids[index]!)}
            onChange={put}
            onText={(line) => draft.setText(replaceLine(draft.text, parameter.name, line))}
          />
        ))}
      </div>
      {draft.laneError && (
        <p role="alert" className="ember small" data-error="lane">
          {draft.laneError}
        </p>
      )}
      {requirements.length > 0 && (
        <div className="row small wrap" data-requirements>
          <span className="soft">Every configuration must meet:</span>
          {requirements.map((r) => (
            <code key={r.expression} className="tag">
              {r.expression}
            </code>
          ))}
        </div>
      )}
      {away.length > 0 && (
        <div className="row wrap">
          <span className="small soft">Left at their defaults:</span>
          {away.map((s) => (
            <button
              key={s.name}
              className="plain-button tag"
              title={`${s.sentence} Click to search it.`}
              onClick={() => draft.setText(`${draft.text.replace(/\s*$/, "")}\n${s.line}\n`)}
            >
              + {s.name} = {String(s.default)}
            </button>
          ))}
        </div>
      )}
    </>
  );
}

function useUndoKey(undo: () => void) {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const typing = event.target instanceof HTMLElement && /^(INPUT|TEXTAREA)$/.test(event.target.tagName);
      if ((event.ctrlKey || event.metaKey) && event.key === "z" && !typing) {
        event.preventDefault();
        undo();
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [undo]);
}
