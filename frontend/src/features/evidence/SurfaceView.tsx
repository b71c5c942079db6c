import { useState } from "react";
import { useEvidence, useSurface, type Evidence, type Others, type Surface } from "../../api/evidence";
import { SurfaceMap } from "../../charts/SurfaceMap";
import { spanOf } from "../../charts/surfaceLayout";
import { useWidth } from "../../charts/useWidth";
import { figure, percent, scalar } from "../../lib/format";
import { Switch } from "../../ui/Switch";
import type { Looked } from "./looked";
import type { Selection } from "./useSelection";

/** The score over any two settings, mean and error side by side, with the trials on it. */
export function SurfaceView({ problem, search, selection, trial, inspect }: Looked & { selection: Selection }) {
  const evidence = useEvidence(search.kind === "search" ? search.id : null).data;
  const names = search.parameters.filter((p) => p.kind !== "fixed").map((p) => String(p.name));
  const strongest = evidence?.surface ? ([evidence.surface.across.name, evidence.surface.down.name] as const) : null;
  const [pair, setPair] = useState<readonly [string, string] | null>(null);
  const [others, setOthers] = useState<Others>("near the best");
  const [turning, setTurning] = useState<string | null>(null);
  const [across, down] = pair ?? strongest ?? [names[0] ?? "", names[1] ?? ""];
  const by = turning === across || turning === down ? null : turning;
  const given = evidence?.surface && !pair && !by && others === "near the best" ? evidence.surface : null;
  const answer = useSurface(
    search.id,
    { across, down, others, by },
    evidence?.state === "done" && !given && names.length > 1,
  );
  const surface = given ?? answer.data?.surface ?? null;
  if (names.length < 2)
    return <p className="sheet padded soft">This search has one setting only: Lanes show the score along it.</p>;
  return (
    <div className="col apart scrolls" data-surface={surface ? `${across} ${down}` : ""}>
      <div className="row wrap small">
        <Chooser
          label="Across"
          value={across}
          names={names.filter((n) => n !== down)}
          onChange={(n) => setPair([n, down])}
        />
        <Chooser
          label="Up"
          value={down}
          names={names.filter((n) => n !== across)}
          onChange={(n) => setPair([across, n])}
        />
        {names.length > 2 && (
          <Chooser
            label="for each"
            value={by ?? ""}
            names={["", ...names.filter((n) => n !== across && n !== down)]}
            onChange={(n) => setTurning(n || null)}
          />
        )}
        <span className="soft">others</span>
        <Switch label="Other settings" options={["near the best", "averaged"]} value={others} onChange={setOthers} />
        <span className="grow" />
        {evidence && <Pairs evidence={evidence} onPair={setPair} />}
      </div>
      {answer.error ? (
        <p role="alert" className="sheet padded ember">
          {answer.error.message}
        </p>
      ) : evidence?.state === "done" && evidence.trials === 0 ? (
        <p className="sheet padded soft">
          Too few trials are scored, or all scored alike: there is no surface to draw.
        </p>
      ) : !surface ? (
        <p className="sheet padded soft" role="status">
          Working out the surface …
        </p>
      ) : (
        <Maps
          surface={surface}
          metric={problem.judging.metric_label}
          larger={problem.judging.larger_is_better}
          ridge={ridgeOf(evidence, surface)}
          picked={selection.picked}
          selected={trial}
          inspect={inspect}
        />
      )}
    </div>
  );
}

/** Trials behind a ridge of these two settings, where one was found. */
const ridgeOf = (evidence: Evidence | undefined, surface: Surface) =>
  evidence?.findings.find(
    (one) => one.code === "ridge" && one.names.includes(surface.across.name) && one.names.includes(surface.down.name),
  )?.trials ?? null;

function Chooser({
  label,
  value,
  names,
  onChange,
}: {
  label: string;
  value: string;
  names: string[];
  onChange: (name: string) => void;
}) {
  return (
    <label className="row closer">
      {label}
      <select className="mono" value={value} onChange={(event) => onChange(event.target.value)}>
        {names.map((name) => (
          <option key={name} value={name}>
            {name || "–"}
          </option>
        ))}
      </select>
    </label>
  );
}

/** Pairs by what they do together, the strongest first. */
function Pairs({ evidence, onPair }: { evidence: Evidence; onPair: (pair: readonly [string, string]) => void }) {
  return (
    <>
      {evidence.pairs.slice(0, 4).map((pair) => (
        <button
          key={pair.names.join(" ")}
          className="plain-button tag mono"
          onClick={() => onPair([pair.names[0]!, pair.names[1]!])}
          title="What they do together, beyond what each does alone"
        >
          {pair.names.join(" × ")} {percent(pair.beyond.share)}
        </button>
      ))}
    </>
  );
}

interface MapsProps {
  surface: Surface;
  metric: string;
  larger: boolean;
  ridge: number[] | null;
  picked: number[] | null;
  selected: number | null;
  inspect: (id: number) => void;
}

function Maps({ surface, metric, larger, ridge, picked, selected, inspect }: MapsProps) {
  const [box, width] = useWidth(900);
  const each = Math.min(Math.max((width - 24) / 2, 260), 560);
  const shared = { surface, larger, width: each, picked, selected, inspect };
  if (surface.panels?.length)
    return (
      <div ref={box}>
        <Panels {...{ surface, metric, larger, picked, selected, inspect, width }} />
        <HeldOut surface={surface} />
      </div>
    );
  return (
    <>
      <div className="row wrap far top" ref={box}>
        <figure className="flush">
          <figcaption className="strong small">{metric}, as the model has it</figcaption>
          <SurfaceMap {...shared} values={surface.mean} what="score" ridge={ridge} />
        </figure>
        <figure className="flush">
          <figcaption className="strong small">How far it may be off: one standard deviation</figcaption>
          <SurfaceMap {...shared} values={surface.deviation} what="error" ridge={null} />
        </figure>
      </div>
      <HeldOut surface={surface} />
    </>
  );
}

const HeldOut = ({ surface }: { surface: Surface }) => (
  <p className="small soft" data-held-out>
    Of trials that it did not see the model foretells {percent(surface.explained)} of the differences (R², leaving one
    out), and {percent(surface.covered)} of them lie in its 80 % band.
  </p>
);

/** The same surface for each option of a third setting, or low, middle and high of a number, all on one scale. */
function Panels({ surface, metric, width, ...rest }: Omit<MapsProps, "ridge"> & { width: number }) {
  const panels = surface.panels ?? [];
  const span = spanOf(panels.flatMap((panel) => panel.mean));
  const each = Math.max(Math.min((width - 24) / Math.min(panels.length, 3), 460), 250);
  return (
    <>
      <p className="strong small">{metric}, as the model has it, on one scale</p>
      <div className="row wrap top">
        {panels.map((panel, i) => (
          <figure className="flush" key={String(panel.value)} data-panel={String(panel.value)}>
            <figcaption className="small">
              {surface.by} <b>{scalar(panel.value)}</b>
              <span className="soft"> ± {figure(typical(panel.deviation))}</span>
            </figcaption>
            <SurfaceMap
              {...rest}
              surface={{ ...surface, points: surface.points.filter((point) => point.panel === i) }}
              values={panel.mean}
              span={span}
              what="score"
              ridge={null}
              width={each}
            />
          </figure>
        ))}
      </div>
    </>
  );
}

/** The error that half of the surface stays under. */
const typical = (rows: number[][]) => {
  const all = rows.flat().sort((a, b) => a - b);
  return all[Math.floor(all.length / 2)] ?? 0;
};
