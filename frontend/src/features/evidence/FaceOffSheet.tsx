import Button from "@mui/material/Button";
import { useState } from "react";
import type { Problem } from "../../api/client";
import { useSteerFaceOff, type FaceOff } from "../../api/evidence";
import { FaceLines, leader } from "../../charts/FaceLines";
import { useWidth } from "../../charts/useWidth";
import type { Against } from "../../charts/faceLinesLayout";
import { duration, percent, plural, score, withError } from "../../lib/format";
import { stoppingLabel } from "../../lib/stopping";
import { Switch } from "../../ui/Switch";

/** One face-off: what may be concluded, its lines, its numbers. */
export function FaceOffSheet({ faceoff, problem }: { faceoff: FaceOff; problem: Problem }) {
  const [against, setAgainst] = useState<Against>("trials");
  const [box, width] = useWidth(700);
  const larger = problem.judging.larger_is_better;
  const some = faceoff.standings.some((one) => one.done > 0);
  return (
    <section className="sheet padded col apart" data-faceoff={faceoff.id} data-state={faceoff.state}>
      <div className="row wrap">
        <h2 className="grow">
          {plural(faceoff.standings.length, "entrant")}, {faceoff.amount} {faceoff.budget} each,{" "}
          {plural(faceoff.repeats, "repeat")}
        </h2>
        {faceoff.mode === "replayed" && <span className="tag">replayed, not measured</span>}
        <Steering faceoff={faceoff} />
        <Button size="small" variant="outlined" href={`/api/v1/face-offs/${faceoff.id}/trials`} download>
          CSV
        </Button>
      </div>
      {faceoff.message && (
        <p role="alert" className="ember">
          {faceoff.message}
        </p>
      )}
      <p data-verdict>{faceoff.sentence}</p>
      {some && (
        <>
          <Switch label="Best so far against" options={["trials", "seconds"]} value={against} onChange={setAgainst} />
          <div ref={box}>
            <FaceLines
              faceoff={faceoff}
              against={against}
              metric={problem.judging.metric}
              larger={larger}
              width={width}
            />
          </div>
          <Standings faceoff={faceoff} leading={leader(faceoff, larger)} />
        </>
      )}
    </section>
  );
}

function Steering({ faceoff }: { faceoff: FaceOff }) {
  const steer = useSteerFaceOff(faceoff);
  if (faceoff.state !== "running" && faceoff.state !== "paused")
    return <span className="small soft">{faceoff.state === "done" ? "" : faceoff.state}</span>;
  return (
    <span className="row closer" role="status">
      <span className="small">
        {faceoff.done} of {faceoff.planned} runs{faceoff.state === "paused" && ", paused"}
      </span>
      {faceoff.mode === "fitted" && (
        <>
          <Button
            size="small"
            disabled={steer.isPending}
            onClick={() => steer.mutate(faceoff.state === "paused" ? "running" : "paused")}
          >
            {faceoff.state === "paused" ? "Go on" : "Pause"}
          </Button>
          <Button size="small" disabled={steer.isPending} onClick={() => steer.mutate("stopped")}>
            Stop
          </Button>
        </>
      )}
    </span>
  );
}

function Standings({ faceoff, leading }: { faceoff: FaceOff; leading: number }) {
  return (
    <div className="scrolls">
      <table className="collapsed full spending">
        <thead>
          <tr className="small soft left">
            <th className="medium" />
            <th className="medium">strategy</th>
            <th className="medium">early stopping</th>
            <th className="medium right">repeats</th>
            <th className="medium right" title="Mean of the final scores and its standard error over repeats">
              final score
            </th>
            <th className="medium right" title="Standard deviation of the final scores over seeds">
              spread
            </th>
            <th className="medium right" title="Median time until it reached the level that every entrant reaches">
              to the common level
            </th>
            <th className="medium right" title="Share of its time in trials that never left the ground">
              grounded
            </th>
            <th className="medium" title="In which share of the repeats it ended ahead of each entrant">
              ahead of
            </th>
          </tr>
        </thead>
        <tbody>
          {faceoff.standings.map((one, i) => (
            <tr
              key={i}
              className="underlined"
              data-standing={i + 1}
              style={{ fontWeight: i === leading ? 620 : undefined }}
            >
              <td className="mono soft">{i + 1}</td>
              <td>{one.strategy}</td>
              <td>{stoppingLabel(one.early_stopping)}</td>
              <td className="right">{one.done}</td>
              <td className="right one-line">{withError(one.mean, one.error)}</td>
              <td className="right">{score(one.spread, one.spread)}</td>
              <td className="right one-line">{one.to_level === null ? "not by half" : duration(one.to_level)}</td>
              <td className="right">{percent(one.grounded)}</td>
              <td className="small soft">
                {one.beats.flatMap((share, k) => (share === null ? [] : [`${k + 1}: ${percent(share)}`])).join(", ")}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
