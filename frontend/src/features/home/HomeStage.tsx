import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState, type ReactNode } from "react";
import { Link, useNavigate } from "react-router";
import type { Problem } from "../../api/client";
import { useProblems } from "../../api/problems";
import { useDemo } from "../../api/workspace";
import { count, plural, score, withError } from "../../lib/format";
import { Mark } from "../../charts/Mark";
import { Spark } from "../../charts/Spark";
import { StateMark } from "../../charts/StateMark";
import { DropFile } from "../../ui/DropFile";
import { Desk } from "./Desk";
import { Machines } from "./Machines";
import { NotTrusted } from "./NotTrusted";

export function HomeStage() {
  const problems = useProblems();
  const navigate = useNavigate();
  const [text, setText] = useState("");
  if (problems.isError)
    return (
      <p className="stage ember" role="alert">
        {problems.error.message}
      </p>
    );
  if (!problems.data) return <p className="stage soft">Opening the workspace …</p>;
  if (problems.data.length === 0) return <Empty />;
  const shown = problems.data.filter((p) =>
    `${p.name} ${p.tags.join(" ")} ${p.judging.metric} ${p.brief?.target ?? p.objective}`
      .toLowerCase()
      .includes(text.toLowerCase()),
  );
  return (
    <div className="stage col apart">
      <NotTrusted />
      <Desk problems={problems.data} />
      <div className="row">
        <h1 className="grow">Problems</h1>
        <TextField
          placeholder="Search by text or tag"
          value={text}
          onChange={(e) => setText(e.target.value)}
          slotProps={{ htmlInput: { "aria-label": "Search problems" } }}
        />
        <Button variant="contained" onClick={() => void navigate("/new")}>
          New problem
        </Button>
      </div>
      <div className="cards">
        {shown.map((problem) => (
          <Card key={problem.id} problem={problem} onTag={setText} />
        ))}
      </div>
      {shown.length === 0 && <p className="soft">No problem matches “{text}”.</p>}
      <Machines />
    </div>
  );
}

function Card({ problem, onTag }: { problem: Problem; onTag: (tag: string) => void }) {
  const { brief, judging, best, baseline } = problem;
  return (
    <article className="sheet col padded apart">
      <div className="row top">
        <h2 className="grow">
          <Link to={`/p/${problem.id}/${problem.searches ? "live" : "brief"}`} className="inherits undecorated">
            {problem.name}
          </Link>
        </h2>
        {problem.running > 0 && (
          <span className="row small closer one-line">
            <StateMark state="running" /> {problem.running} running
          </span>
        )}
      </div>
      <p className="small soft">
        {judging.metric_label} ·{" "}
        {brief ? (
          <>
            {brief.split_label} · {count(problem.rows)} rows · predicts <b>{brief.target}</b>
          </>
        ) : (
          <>
            {plural(judging.fits, "fold")} · {problem.objective} <b>{problem.code?.label}</b>
          </>
        )}
      </p>
      <div className="row card-score">
        {best ? (
          <>
            <div className="grow">
              <div className="display huge">{score(best.score, best.standard_error)}</div>
              <div className="small soft">
                best{best.standard_error ? `, ± ${score(best.standard_error, best.standard_error)}` : ""}
              </div>
              {baseline && (
                <div className="small soft">baseline {withError(baseline.score, baseline.standard_error)}</div>
              )}
            </div>
            <Spark values={problem.spark} larger={judging.larger_is_better} baseline={baseline?.score ?? null} />
          </>
        ) : (
          <p className="soft">No trial yet. Lay out the space and launch a first search.</p>
        )}
      </div>
      <div className="row wrap close">
        <span className="small grow">
          {plural(problem.searches, "search", "searches")} · {plural(problem.trials, "trial")} ·{" "}
          {problem.decided ? "decided" : "not decided"}
        </span>
        {problem.tags.map((tag) => (
          <button key={tag} className="plain-button tag" onClick={() => onTag(tag)}>
            {tag}
          </button>
        ))}
      </div>
    </article>
  );
}

function Empty() {
  const navigate = useNavigate();
  const demo = useDemo();
  return (
    <div className="stage col apart opening">
      <div className="centred">
        <Mark size={56} />
        <h1 className="opening-word">Nothing is being tuned here yet</h1>
        <p className="soft">
          A problem is a data file, a column to predict, and a metric that decides; or a training program of yours. Once
          framed, it keeps every search, trial and decision.
        </p>
      </div>
      <DropFile onData={(hash) => void navigate(`/new?data=${hash}`)} />
      <div className="ways">
        <Way title="Own training code" words="A command that prints a score, or a Python function that returns one.">
          <Button component={Link} to="/new?what=program" variant="outlined">
            Start from a program
          </Button>
        </Way>
        <Way
          title="The demo"
          words="Three made-up problems about a refrigerated fleet, with searches that run as you look."
        >
          <Button variant="outlined" disabled={demo.isPending} onClick={() => demo.mutate()}>
            {demo.isPending ? "Laying it out …" : "Open the demo"}
          </Button>
        </Way>
      </div>
      {demo.error && (
        <p role="alert" className="ember">
          {demo.error.message}
        </p>
      )}
    </div>
  );
}

function Way({ title, words, children }: { title: string; words: string; children: ReactNode }) {
  return (
    <section className="sheet row padded">
      <div className="col closer grow">
        <h2>{title}</h2>
        <p className="small soft">{words}</p>
      </div>
      <span className="still">{children}</span>
    </section>
  );
}
