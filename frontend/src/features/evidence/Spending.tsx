import { useState } from "react";
import type { Problem } from "../../api/client";
import { useSpending, type Spent } from "../../api/evidence";
import { BestOverlay } from "../../charts/BestOverlay";
import type { By } from "../../charts/bestOverlayLayout";
import { useWidth } from "../../charts/useWidth";
import { Switch } from "../../ui/Switch";
import { count, duration, percent, score } from "../../lib/format";
import { stoppingLabel } from "../../lib/stopping";

/** Searches of a problem side by side: the best so far over each other, and what they made of their time. */
export function Spending({ problem, chosen }: { problem: Problem; chosen: number }) {
  const found = useSpending(problem.id).data;
  const [by, setBy] = useState<By>("trials");
  const [off, setOff] = useState<Set<number>>(new Set());
  const [box, width] = useWidth(560);
  if (!found || found.searches.length === 0) return null;
  const shown = found.searches.filter((one) => !off.has(one.search_id));
  const toggle = (id: number) =>
    setOff((held) => {
      const next = new Set(held);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  return (
    <section className="sheet padded col apart" aria-label="Searches side by side" data-spending>
      <div className="row wrap">
        <h2 className="grow">Searches side by side</h2>
        <Switch label="Best so far against" options={["trials", "fits", "seconds"]} value={by} onChange={setBy} />
      </div>
      <div ref={box}>
        <BestOverlay
          searches={shown}
          all={found.searches}
          chosen={chosen}
          baseline={found.baseline}
          metric={problem.judging.metric}
          by={by}
          width={width}
        />
      </div>
      <div className="scrolls">
        <table className="collapsed full spending">
          <thead>
            <tr className="small soft left">
              <th className="medium">search</th>
              <th className="medium">strategy</th>
              <th className="medium">early stopping</th>
              <th className="medium right">workers</th>
              <th className="medium right">best</th>
              <th className="medium right">trials</th>
              <th className="medium right">fits</th>
              <th className="medium right">time of fits</th>
              <th
                className="medium right"
                title="Until a trial came within a quarter of the way from the problem's median to its best"
              >
                near the best after
              </th>
              <th className="medium right" title="Share of the time spent on trials that never came near the best">
                far off
              </th>
              <th
                className="medium right"
                title="Share of what a proposal could have learnt from that was still under way, on average"
              >
                blind
              </th>
            </tr>
          </thead>
          <tbody>
            {found.searches.map((one) => (
              <Row
                key={one.search_id}
                one={one}
                chosen={one.search_id === chosen}
                on={!off.has(one.search_id)}
                onToggle={() => toggle(one.search_id)}
              />
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

function Row({ one, chosen, on, onToggle }: { one: Spent; chosen: boolean; on: boolean; onToggle: () => void }) {
  return (
    <tr className="underlined" data-spent={one.number} style={{ fontWeight: chosen ? 620 : undefined }}>
      <td>
        <label className="row closer">
          <input type="checkbox" checked={on} onChange={onToggle} aria-label={`Draw search ${one.number}`} />
          {one.number}
        </label>
      </td>
      <td>{one.strategy}</td>
      <td>{stoppingLabel(one.early_stopping)}</td>
      <td className="right">{one.workers}</td>
      <td className="right">{score(one.best)}</td>
      <td className="right">{count(one.trials)}</td>
      <td className="right">{count(one.fits)}</td>
      <td className="right one-line">{duration(one.seconds)}</td>
      <td className="right one-line">
        {one.near_after ? `${count(one.near_after[0]!)} trials, ${duration(one.near_after[2])}` : "never"}
      </td>
      <td className="right">{percent(one.far_share)}</td>
      <td className="right">{percent(one.blind_share)}</td>
    </tr>
  );
}
