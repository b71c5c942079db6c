import { useCallback, useDeferredValue, useLayoutEffect, useMemo, useRef, useState } from "react";
import { flushSync } from "react-dom";
import type { Scalar } from "../../api/client";
import { useEvidence, usePointsOf } from "../../api/evidence";
import { EvidenceLane } from "../../charts/EvidenceLane";
import { FLOOR, HEIGHT, placed, shares, type Colouring } from "../../charts/evidenceLaneLayout";
import { PixelDots } from "../../charts/PixelDots";
import { ShareBar } from "../../charts/ShareBar";
import { useWidth } from "../../charts/useWidth";
import { keptBy, comparisons, stretchOf, withStretch, withoutOptions } from "../../lib/comparisons";
import { count, percent, scalar, score } from "../../lib/format";
import { scoreScale, withCurves } from "../../lib/ramp";
import {
  axisFor,
  axisOfDraws,
  isChoice,
  isRange,
  type Axis,
  type ChoiceParameter,
  type Parameter,
} from "../../lib/scale";
import { Switch } from "../../ui/Switch";
import type { Looked } from "./looked";
import { LanePaths } from "./LanePaths";
import type { Selection } from "./useSelection";

const NONE: never[] = [];

/** One lane a setting: trials, curves and bands; drag over lanes to keep what lies in a stretch, hover a trial to see its way through all. */
export function LanesView({ problem, search, searches, selection, trial, inspect }: Looked & { selection: Selection }) {
  const { where, setWhere, picked, together } = selection;
  const alike = useMemo(
    () =>
      together
        ? searches.filter((s) => s.kind === "search" && s.learner === search.learner).map((s) => s.id)
        : [search.id],
    [together, searches, search],
  );
  const found = usePointsOf(alike);
  const evidence = useEvidence(search.kind === "search" ? search.id : null).data;
  const [colouring, setColouring] = useState<Colouring>("score");
  const [kind, setKind] = useState<"average" | "near">("average");
  const [hovered, setHovered] = useState<number | null>(null);
  const [moving, setMoving] = useState<string | null>(null); // the filter while a brush is drawn
  const [box, wide] = useWidth(700);
  const width = Math.max(wide - SIDE, 200);
  const larger = problem.judging.larger_is_better;
  const points = found?.points ?? null;
  const scale = useMemo(
    () => withCurves(scoreScale(points?.means ?? [], larger), evidence?.curves.map((curve) => curve[kind]) ?? NONE),
    [points, larger, evidence, kind],
  );
  const lanes = useMemo(
    () => (search.parameters as unknown as Parameter[]).filter((p) => p.kind !== "fixed"),
    [search.parameters],
  );
  const axes = useMemo(() => lanes.map((p) => axisOf(p, points?.values[p.name] ?? NONE)), [lanes, points]);
  const places = useMemo(() => {
    if (!points || !found) return null;
    const colours = shares(points, found.of, colouring, scale);
    return lanes.map((p, i) => placed(p, points, axes[i]!, width, scale, colours));
  }, [points, found, lanes, axes, width, scale, colouring]);
  const asked = moving ?? where;
  const chosen = useMemo(() => (picked ? new Set(picked) : null), [picked]);
  const kept = useMemo(
    () => (points ? keptBy(points, asked, larger, problem.judging.metric, chosen) : null),
    [points, asked, larger, problem.judging.metric, chosen],
  );
  const summary = useDeferredValue(kept);
  const frame = useRef(0);
  const stretch = useCallback(
    (name: string, next: [number, number] | null, done: boolean) => {
      const filter = withStretch(where, name, next);
      cancelAnimationFrame(frame.current);
      if (done) {
        setMoving(null);
        setWhere(filter);
      } else frame.current = requestAnimationFrame(() => flushSync(() => setMoving(filter))); // in this very frame
    },
    [where, setWhere],
  );
  const keptNow = useRef(kept);
  useLayoutEffect(() => {
    keptNow.current = kept;
  });
  const pick = useCallback((index: number) => points && inspect(points.ids[index]!), [points, inspect]);
  const toggle = useCallback(
    (parameter: ChoiceParameter, option: Scalar) => {
      const options = parameter.options.map((o) => o.value);
      const left = options.filter((o) => isLeftOut(where, parameter.name, o) !== (o === option));
      setWhere(withoutOptions(where, parameter.name, left.length === options.length ? [] : left));
    },
    [where, setWhere],
  );
  if (!points || !kept || !places) return <p className="sheet padded soft">Laying out the lanes …</p>;
  const at = points.ids.indexOf(trial ?? -1);
  return (
    <div className="col near scrolls" data-lanes>
      <div className="row wrap small">
        <Kept points={points} kept={summary ?? kept} larger={larger} />
        {(where || picked) && (
          <button className="plain-button spruce" onClick={selection.clear}>
            Keep all again
          </button>
        )}
        <span className="grow" />
        <span className="soft">colour by</span>
        <Switch
          label="Colour by"
          options={together ? ["score", "cost", "time", "search"] : ["score", "cost", "time"]}
          value={colouring}
          onChange={setColouring}
        />
        <span className="soft">curve</span>
        <Switch
          label="Curve"
          options={["averaged", "near the best"]}
          value={kind === "average" ? "averaged" : "near the best"}
          onChange={(next) => setKind(next === "averaged" ? "average" : "near")}
        />
      </div>
      <div className="sheet anchor edged" ref={box}>
        {lanes.map((parameter, i) => {
          const share = evidence?.singles.find((one) => one.name === parameter.name);
          return (
            <div key={parameter.name} className="evidence-lane" style={{ height: HEIGHT }}>
              <div className="col closer lane-name" style={{ width: SIDE - 20 }}>
                <b className="mono small cut" title={parameter.name}>
                  {parameter.name}
                </b>
                {share && (
                  <span
                    title={`${percent(share.total.share)} of the score's differences, with what it does together with others`}
                  >
                    <ShareBar
                      alone={share.alone.share}
                      total={share.total.share}
                      low={share.total.low}
                      high={share.total.high}
                    />
                  </span>
                )}
                <Held where={asked} name={parameter.name} onLetGo={() => stretch(parameter.name, null, true)} />
              </div>
              <div className="anchor grow">
                <EvidenceLane
                  parameter={parameter}
                  axis={axes[i]!}
                  width={width}
                  placed={places[i]!}
                  kept={keptNow}
                  curve={evidence?.curves.find((curve) => curve.name === parameter.name)}
                  kind={kind}
                  scale={scale}
                  stretch={isChoice(parameter) ? null : stretchOf(asked, parameter.name)}
                  onHover={setHovered}
                  onPick={pick}
                  onStretch={stretch}
                  onOption={toggle}
                />
                <PixelDots placed={places[i]!} kept={kept} width={width} height={FLOOR + 4} />
              </div>
            </div>
          );
        })}
        <LanePaths places={places} left={SIDE} hovered={hovered} selected={at < 0 ? null : at} />
      </div>
      <p className="small soft">
        Drag over a lane to keep the trials in that stretch, any number of lanes at once; click an option to leave it
        out or take it back; click a trial to inspect it.
      </p>
    </div>
  );
}

const SIDE = 190; // pixels beside the lanes for names

const axisOf = (parameter: Parameter, values: (string | number | boolean | null)[]): Axis | null =>
  isRange(parameter)
    ? axisFor(parameter, undefined)
    : isChoice(parameter)
      ? null
      : axisOfDraws(values.filter((v) => v !== null));

const isLeftOut = (where: string, name: string, option: string | number | boolean) => {
  const text = typeof option === "boolean" ? (option ? "yes" : "no") : String(option);
  return comparisons(where).some((c) => c.name === name && c.sign === "!=" && c.text === text);
};

/** What a lane is kept to, in words, with a way out. */
function Held({ where, name, onLetGo }: { where: string; name: string; onLetGo: () => void }) {
  const own = comparisons(where).filter((c) => c.name === name);
  if (own.length === 0) return null;
  return (
    <span className="tiny row closer honey">
      <span className="cut">{own.map((c) => `${c.sign} ${c.text}`).join(", ")}</span>
      <button className="plain-button" aria-label={`Let go of ${name}`} onClick={onLetGo}>
        ×
      </button>
    </span>
  );
}

/** How many are kept, and the best of them. */
function Kept({
  points,
  kept,
  larger,
}: {
  points: { means: (number | null)[]; numbers: number[]; standard_errors: (number | null)[] };
  kept: Uint8Array;
  larger: boolean;
}) {
  let [many, best] = [0, -1];
  for (let i = 0; i < kept.length; i++) {
    if (!kept[i]) continue;
    many += 1;
    const mean = points.means[i];
    if (mean === null || mean === undefined) continue;
    if (best < 0 || (larger ? mean > points.means[best]! : mean < points.means[best]!)) best = i;
  }
  return (
    <span role="status" data-kept={many}>
      {many === 0 ? (
        "No trial is left."
      ) : (
        <>
          <b>{count(many)}</b> of {count(kept.length)} trials kept
          {best >= 0 && (
            <>
              ; the best of them {score(points.means[best], points.standard_errors[best])}, trial{" "}
              {scalar(points.numbers[best])}
            </>
          )}
        </>
      )}
    </span>
  );
}
