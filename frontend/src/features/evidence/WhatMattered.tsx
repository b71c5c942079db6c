import type { Direction, Evidence, Matters } from "../../api/evidence";
import { ShareBar } from "../../charts/ShareBar";
import { percent, plural, scalar } from "../../lib/format";

const WORTH_TELLING = 0.02; // of the variance: pairs below it are not told

/** Which settings the score depends on, each with how sure that is and which way it goes. */
export function WhatMattered({ found }: { found: Evidence }) {
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
          <Row key={one.name} one={one} direction={found.directions.find((d) => d.name === one.name)} />
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

/** Which way it goes, in few words. */
function way(direction: Direction): string {
  const until = direction.until === null ? "" : scalar(direction.until);
  switch (direction.trend) {
    case "more is better":
      return until ? `more is better ↑ up to ${until}` : "more is better ↑";
    case "less is better":
      return until ? `less is better ↓ down to ${until}` : "less is better ↓";
    case "best between":
      return `best near ${until}`;
    case "no trend":
      return "no trend";
  }
}

const ranks = (d: Direction) =>
  `Rank correlation with the score ${d.rank.toFixed(2)} (${d.low.toFixed(2)} to ${d.high.toFixed(2)}), with the other numbers taken out ${d.partial.toFixed(2)}; ${plural(d.trials, "trial")}`;

function Row({ one, direction }: { one: Matters; direction: Direction | undefined }) {
  const { alone, total, among_good: good } = one;
  return (
    <div role="row" data-mattered={one.name}>
      <span role="rowheader" title={one.name}>
        <span className="mono cut block">{one.name}</span>
        {direction && (
          <span className="tiny soft block" title={ranks(direction)}>
            {way(direction)}
          </span>
        )}
      </span>
      <span role="cell">
        <ShareBar alone={alone.share} total={total.share} low={total.low} high={total.high} />
      </span>
      <span role="cell">{percent(alone.share)}</span>
      <span role="cell">
        {percent(total.share)}{" "}
        <span className="small soft one-line">
          {Math.round(100 * total.low)} to {percent(total.high)}
        </span>
      </span>
      <span role="cell">{percent(good.share)}</span>
    </div>
  );
}
