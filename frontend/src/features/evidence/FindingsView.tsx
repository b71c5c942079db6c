import Button from "@mui/material/Button";
import { useState } from "react";
import { useNavigate } from "react-router";
import { usePoints } from "../../api/searches";
import { useEvidence, type Evidence, type Finding } from "../../api/evidence";
import { percent, plural } from "../../lib/format";
import { ApplyDialog } from "./ApplyDialog";
import type { Looked } from "./looked";
import { PathStair } from "./PathStair";
import { Spending } from "./Spending";
import { WhatMattered } from "./WhatMattered";
import type { Selection } from "./useSelection";

const NONE: number[] = [];

/** Findings as sentences, what they rest on, and the searches side by side. */
export function FindingsView({ problem, search, selection, inspect }: Looked & { selection: Selection }) {
  const answer = useEvidence(search.kind === "search" ? search.id : null);
  const [applying, setApplying] = useState<Finding[] | null>(null);
  const navigate = useNavigate();
  const found = answer.data;
  const own = usePoints(search.id).data?.ids ?? NONE;
  return (
    <div className="col far scrolls">
      {answer.error ? (
        <p role="alert" className="sheet padded ember" data-evidence="refused">
          {answer.error.message}
        </p>
      ) : !found || found.state === "running" ? (
        <p className="sheet padded soft" role="status">
          Listening to the trials …
        </p>
      ) : found.state === "failed" ? (
        <p role="alert" className="sheet padded ember" data-evidence="failed">
          {found.message}
        </p>
      ) : (
        <div className="both far top findings-bench" data-evidence="done">
          <section className="col apart" aria-label="Findings">
            <Findings found={found} own={own} selection={selection} onApply={setApplying} />
            <Told found={found} />
            {found.path.length > 0 && (
              <PathStair
                search={search}
                steps={found.path}
                larger={problem.judging.larger_is_better}
                inspect={inspect}
              />
            )}
          </section>
          <WhatMattered found={found} />
        </div>
      )}
      <Spending problem={problem} chosen={search.id} />
      {applying && (
        <ApplyDialog
          findings={applying}
          onClose={() => setApplying(null)}
          onApply={(change) =>
            void navigate(`/p/${problem.id}/space?search=${search.id}`, {
              state: { change: { ...change, learner: search.learner, space: search.space } },
            })
          }
        />
      )}
    </div>
  );
}

const changes = (finding: Finding) =>
  finding.lines.length + finding.requirements.length + Object.keys(finding.plan).length > 0;

function Findings({
  found,
  own,
  selection,
  onApply,
}: {
  found: Evidence;
  own: number[]; // ids of the search's own trials
  selection: Selection;
  onApply: (findings: Finding[]) => void;
}) {
  const applicable = found.findings.filter(changes);
  if (found.findings.length === 0)
    return (
      <p className="sheet padded soft" data-findings="none">
        Nothing is found that one would act on.{" "}
        {found.trials === 0 && "Too few trials are scored, or all scored alike."}
      </p>
    );
  return (
    <>
      <ol className="unmarked flush col apart">
        {found.findings.map((finding, i) => (
          <li key={i} className="sheet padded col near" data-finding={finding.code}>
            <p>{finding.sentence}</p>
            <div className="row wrap small">
              {changes(finding) && (
                <Button size="small" variant="outlined" onClick={() => onApply([finding])}>
                  Apply …
                </Button>
              )}
              {finding.trials.length > 0 && (
                <button
                  className="plain-button spruce"
                  onClick={() =>
                    selection.pick(
                      finding.trials,
                      "lanes",
                      own.length > 0 && finding.trials.some((id) => !own.includes(id)),
                    )
                  }
                  title="Pick these trials: every view shows them"
                >
                  {plural(finding.trials.length, "trial")} behind it
                </button>
              )}
            </div>
          </li>
        ))}
      </ol>
      {applicable.length > 1 && (
        <div>
          <Button variant="contained" onClick={() => onApply(applicable)}>
            Apply all {applicable.length} …
          </Button>
        </div>
      )}
    </>
  );
}

/** What chance and early looks have to do with it, in sentences. */
function Told({ found }: { found: Evidence }) {
  const { noise, rungs } = found;
  return (
    <>
      {found.weighed === "gains in an interval" && (
        <p className="small soft">
          Trials go on from each other here: each is weighed by what it gained in its interval against the others in the
          same interval.
        </p>
      )}
      {noise && (
        <p className="small soft" data-noise>
          The scatter of folds would make {percent(noise.share)} of the differences between trials by itself;{" "}
          {noise.alike === 0 ? "no other trial" : `${plural(noise.alike, "other trial")} of ${noise.trials - 1}`} cannot
          be told from the best.
        </p>
      )}
      {rungs.map((rung) => (
        <p key={rung.rung} className="small soft" data-rung={rung.rung}>
          {rung.rank === null
            ? `Scores at rung ${rung.rung} are all alike.`
            : `Scores at rung ${rung.rung} tell the order at the highest with a rank correlation of ${rung.rank.toFixed(2)} (${plural(rung.trials, "trial")}).`}
        </p>
      ))}
    </>
  );
}
