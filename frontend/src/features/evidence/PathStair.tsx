import Button from "@mui/material/Button";
import { useNavigate } from "react-router";
import type { Search } from "../../api/client";
import { useMeasurePath, type Step } from "../../api/evidence";
import { scalar, score, withError } from "../../lib/format";
import { StepBar, stairLayout } from "../../charts/StepBar";

interface Props {
  search: Search;
  steps: Step[];
  larger: boolean;
  inspect: (id: number) => void;
}

/** From the usual settings to the best, one change at a time: what the model says each gains, and what was measured. */
export function PathStair({ search, steps, larger, inspect }: Props) {
  const navigate = useNavigate();
  const measure = useMeasurePath(search.id, (made) => void navigate(`/p/${search.problem_id}/live?search=${made.id}`));
  const scale = stairLayout(steps, larger);
  const missing = steps.filter((step) => step.measured === null).length;
  return (
    <section className="sheet padded col" aria-label="From the usual settings to the best" data-path>
      <div className="row wrap">
        <h2 className="grow">From the usual settings to the best</h2>
        {missing > 0 && (
          <Button
            size="small"
            variant="outlined"
            disabled={measure.isPending}
            onClick={() => measure.mutate()}
            title={`Fits the ${missing} that no trial has been at, as a search of its own`}
          >
            Measure {missing === steps.length ? "it" : `the other ${missing}`}
          </Button>
        )}
      </div>
      {measure.error && (
        <p role="alert" className="small ember">
          {measure.error.message}
        </p>
      )}
      <div className="stair" role="table" aria-label="Changes, the largest gain first">
        <div role="row" className="small soft">
          <span role="columnheader">change</span>
          <span role="columnheader">by the model</span>
          <span role="columnheader">gain</span>
          <span role="columnheader">measured</span>
        </div>
        {steps.map((step, i) => (
          <div role="row" key={i} data-step={i + 1}>
            <span role="rowheader" className="mono">
              {step.changed
                .map(
                  (c) =>
                    `${c.name} ${c.before === null ? "" : `${scalar(c.before)} `}→ ${c.after === null ? "off" : scalar(c.after)}`,
                )
                .join(", ")}
            </span>
            <span role="cell">
              <StepBar step={step} scale={scale} />
            </span>
            <span role="cell" className="one-line">
              {step.gain >= 0 ? "+" : "−"}
              {withError(Math.abs(step.gain), step.error)}
            </span>
            <span role="cell" className="one-line">
              {step.measured === null ? (
                <span className="soft">–</span>
              ) : (
                <button className="plain-button spruce" onClick={() => step.trial_id && inspect(step.trial_id)}>
                  {score(step.measured, step.measured_error)}
                </button>
              )}
            </span>
          </div>
        ))}
      </div>
    </section>
  );
}
