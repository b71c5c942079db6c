import { OtherObjective } from "../../ui/OtherObjective";
import { type Data, type TableProblem, isCode, isTable } from "../../api/client";
import { useCatalogue } from "../../api/workspace";
import { useData } from "../../api/data";
import { useFindings, useSplit } from "../../api/problems";
import { useChosen } from "../../ui/place";
import { count, percent } from "../../lib/format";
import { SplitBars } from "../../charts/SplitBars";
import { Baselines } from "./Baselines";
import { BriefEditor } from "./BriefEditor";
import { ColumnList } from "./ColumnList";
import { Findings } from "./Findings";
import { Frozen } from "./Frozen";
import { formOf } from "./briefForm";
import { CodeEditor } from "./code/CodeEditor";
import { codeFormOf } from "./code/codeForm";
import { FrozenCode } from "./code/FrozenCode";

const HOLDOUTS: Record<string, string> = { group: " by group", time: " of the last in time", random: " at random" };

export function BriefStage() {
  const { problemView, problemQuery } = useChosen();
  const data = useData(problemView?.brief?.data ?? null).data;
  if (problemQuery.isError)
    return (
      <p className="stage ember" role="alert">
        {problemQuery.error.message}
      </p>
    );
  if (problemView && isCode(problemView))
    return problemView.frozen ? (
      <FrozenCode problem={problemView} code={problemView.code} />
    ) : (
      <CodeEditor key={problemView.id} initial={codeFormOf(problemView)} problem={problemView} />
    );
  if (problemView && !isTable(problemView))
    return <OtherObjective problem={problemView} what="are no columns to frame" />;
  if (!problemView || !data) return <p className="stage soft">Reading the brief …</p>;
  if (!problemView.frozen)
    return (
      <BriefEditor
        key={problemView.id}
        data={data}
        initial={formOf(problemView, data)}
        problem={problemView}
        derivedFrom={null}
      />
    );
  return <FrozenBrief problem={problemView} data={data} />;
}

function FrozenBrief({ problem, data }: { problem: TableProblem; data: Data }) {
  const { brief } = problem;
  const split = useSplit(problem.id).data;
  const findings = useFindings(problem.id).data;
  const metric = useCatalogue().data?.metrics.find((m) => m.key === brief.metric);
  return (
    <div className="stage far top brief-bench">
      <section className="col">
        <h1>{problem.name}</h1>
        <p className="small soft">
          {data.name} · {count(data.rows)} rows × {count(data.columns.length)} columns · content{" "}
          <code>{brief.data.slice(0, 10)}</code>
        </p>
        <ColumnList data={data} form={formOf(problem, data)} />
      </section>
      <section className="col apart">
        <Frozen problem={problem} earlier="Changed from" />
        <div className="sheet col padded">
          <h2>{brief.metric_label}</h2>
          <p className="small soft">{metric?.sentence}</p>
          {brief.task === "binary" && (
            <p className="small">
              Positive class of {brief.target}: <b>{brief.classes[1]}</b>
            </p>
          )}
          {brief.recorded.length > 0 && <p className="small soft">Recorded beside it: {brief.recorded.join(", ")}.</p>}
          {problem.judging.limits.length > 0 && (
            <p className="small">
              What is chosen keeps <b>{problem.judging.limits.join(", ")}</b>.
            </p>
          )}
          {brief.weight && <p className="small soft">Rows count as much as {brief.weight} says.</p>}
        </div>
        <Baselines problem={problem} />
        <div className="sheet col padded">
          <h2>
            {brief.split_label}, {percent(brief.holdout)} holdout{HOLDOUTS[brief.holdout_by]}, seed {brief.seed}
          </h2>
          {split && <SplitBars split={split} classes={brief.classes} />}
        </div>
        {findings && <Findings findings={findings} />}
      </section>
    </div>
  );
}
