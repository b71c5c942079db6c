import { useImportances, type Matters } from "../../api/evidence";
import { ShareBar } from "../../charts/ShareBar";
import { percent, plural } from "../../lib/format";

const WORTH_TELLING = 0.02; // of the variance: pairs below it are not told

/** Which settings the score depends on, each with how sure that is. */
export function WhatMattered({ search }: { search: number }) {
  const answer = useImportances(search, true);
  const found = answer.data;
  if (answer.error)
    return (
      <p role="alert" className="sheet padded ember" data-matters="refused">
        {answer.error.message}
      </p>
    );
  if (!found || found.state === "running") return <p className="sheet padded soft">Weighing the settings …</p>;
  if (found.state === "failed")
    return (
      <p role="alert" className="sheet padded ember" data-matters="failed">
        {found.message}
      </p>
    );
  if (found.trials === 0)
    return (
      <p className="sheet padded soft" data-matters="too few">
        Too few trials are scored, or all scored alike: nothing can be said of what mattered.
      </p>
    );
  const pairs = found.pairs.filter((pair) => pair.beyond.share >= WORTH_TELLING);
  return (
    <section className="sheet col padded" aria-label="What mattered" data-matters="done">
      <div className="row wrap">
        <h2 className="grow">What mattered</h2>
        <span
          className="small soft"
          title="How much of the differences between trials a model of them foretells of trials it did not see"
        >
          From {plural(found.trials, "scored trial")}; {percent(found.explained)} of their differences can be foretold
        </span>
      </div>
      <div className="matters" role="table" aria-label="Settings by how much the score depends on them">
        <div role="row" className="small soft">
          <span role="columnheader">setting</span>
          <span
            role="columnheader"
            title="Dark: by itself. Light: with all that it does together with others. The line: between these ends nine times out of ten."
          >
            share of the score&apos;s differences
          </span>
          <span role="columnheader">alone</span>
          <span role="columnheader">with others</span>
          <span
            role="columnheader"
            title="By itself, as long as the score is in its best quarter: what to look at once good settings are found"
          >
            among the good
          </span>
        </div>
        {found.singles.map((one) => (
          <Row key={one.name} one={one} />
        ))}
      </div>
      {pairs.length > 0 && (
        <p className="small soft">
          Together beyond each by itself:{" "}
          {pairs.map((pair) => `${pair.names.join(" and ")} ${percent(pair.beyond.share)}`).join(", ")}.
        </p>
      )}
    </section>
  );
}

function Row({ one }: { one: Matters }) {
  const { alone, total, among_good: good } = one;
  return (
    <div role="row" data-mattered={one.name}>
      <span role="rowheader" className="mono cut" title={one.name}>
        {one.name}
      </span>
      <span role="cell">
        <ShareBar alone={alone.share} total={total.share} low={total.low} high={total.high} />
      </span>
      <span role="cell">{percent(alone.share)}</span>
      <span role="cell">
        {percent(total.share)}{" "}
        <span className="small soft">
          {percent(total.low)} to {percent(total.high)}
        </span>
      </span>
      <span role="cell">{percent(good.share)}</span>
    </div>
  );
}
