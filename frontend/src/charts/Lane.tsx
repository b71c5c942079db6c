import { useMemo, useRef, useState } from "react";
import type { Points, Scalar, Setting } from "../api/client";
import type { Curve } from "../api/evidence";
import { figure, scalar } from "../lib/format";
import type { ScoreScale } from "../lib/ramp";
import {
  axisFor,
  axisOfDraws,
  isChoice,
  isRange,
  moveEnd,
  ticks,
  toShare,
  toValue,
  type Axis,
  type ChoiceParameter,
  type Parameter,
  type RangeParameter,
} from "../lib/scale";
import { CurveBand } from "./CurveBand";
import { LaneDots } from "./LaneDots";
import { LANE, dots, nearest, place } from "./laneLayout";
import { useWidth } from "./useWidth";

interface Props {
  parameter: Parameter;
  setting: Setting | undefined;
  draws: Scalar[];
  points: Points | null;
  scale: ScoreScale;
  hovered: number | null; // index into points
  onHover: (index: number | null) => void;
  onPick: (index: number) => void;
  onChange: (parameter: Parameter) => void;
  curve?: Curve | undefined; // the score along it, once trials say something
}

/** One parameter: its axis, its range with two handles (or its options), sample draws, and the trials that fell on it. */
export function Lane(props: Props) {
  const { parameter, setting, draws, points, scale, hovered, onHover, onPick, onChange, curve } = props;
  const [box, width] = useWidth(500);
  const [moving, setMoving] = useState<{ parameter: RangeParameter; axis: Axis } | null>(null);
  const shown = moving?.parameter ?? parameter;
  const settled = useMemo(
    () => (isRange(parameter) ? axisFor(parameter, setting) : isChoice(parameter) ? null : axisOfDraws(draws)),
    [parameter, setting, draws],
  );
  const axis = moving?.axis ?? settled;
  // While an end is dragged neither the axis nor the dots change, so the drag costs one small redraw a frame.
  const marks = useMemo(
    () => (points ? dots(parameter, points, axis, width, scale) : []),
    [points, parameter, axis, width, scale],
  );
  const drawn = useMemo(
    () => draws.map((v) => place(parameter, v, axis, width)).filter((x) => x !== null),
    [draws, parameter, axis, width],
  );
  const spot = hovered === null ? null : marks.find((dot) => dot.index === hovered);
  const find = (event: React.PointerEvent) => {
    const at = event.currentTarget.getBoundingClientRect();
    return nearest(marks, event.clientX - at.left, event.clientY - at.top);
  };
  return (
    <div
      className="anchor"
      ref={box}
      style={{ height: LANE.height, cursor: spot ? "pointer" : undefined }}
      onPointerMove={(e) => !moving && onHover(find(e)?.index ?? null)}
      onPointerLeave={() => onHover(null)}
      onClick={() => spot && onPick(spot.index)}
    >
      <LaneDots dots={marks} width={width} />
      <svg width={width} height={LANE.height} className="fills">
        {curve && (
          <CurveBand
            curve={curve}
            kind="average"
            parameter={parameter}
            axis={axis}
            width={width}
            scale={scale}
            room={LANE}
          />
        )}
        <path d={drawn.map((x) => `M${x.toFixed(1)} ${LANE.draws}v6`).join("")} stroke="var(--soft)" opacity={0.3} />
        {shown.kind === "distribution" && axis && <Bell draws={draws} axis={axis} width={width} />}
        {typeof shown.start === "number" && axis && (
          <StartFlag x={LANE.inset + toShare(shown.start, axis) * (width - 2 * LANE.inset)} />
        )}
        {isRange(shown) && axis && <RangeMarks parameter={shown} axis={axis} width={width} setting={setting} />}
        {spot && <circle cx={spot.x} cy={spot.y} r={6} fill="none" stroke="var(--ink)" strokeWidth={1.8} />}
        {isRange(shown) &&
          axis &&
          (["from", "to"] as const).map((end) => (
            <Handle
              key={end}
              end={end}
              parameter={shown}
              axis={axis}
              width={width}
              onMove={(next) => setMoving({ parameter: next, axis })}
              onDone={(next) => {
                setMoving(null);
                onChange(next);
              }}
            />
          ))}
      </svg>
      {isChoice(shown) && <Options parameter={shown} width={width} onChange={onChange} />}
    </div>
  );
}

/** Where the first trial stands. */
function StartFlag({ x }: { x: number }) {
  return (
    <g>
      <title>start</title>
      <path
        d={`M${x} ${LANE.top - 2}V${LANE.floor + 4}`}
        stroke="var(--honey)"
        strokeWidth={1.5}
        strokeDasharray="2 2"
      />
      <path d={`M${x} ${LANE.top - 6}h11l-3 4 3 4h-11z`} fill="var(--honey)" />
    </g>
  );
}

/** How a distribution is drawn from: its draws in slim columns. */
function Bell({ draws, axis, width }: { draws: Scalar[]; axis: Axis; width: number }) {
  const columns = 32;
  const counts = new Array<number>(columns).fill(0);
  for (const value of draws)
    if (typeof value === "number") {
      const at = Math.floor(toShare(value, axis) * columns);
      if (at >= 0 && at < columns) counts[at]! += 1;
    }
  const most = Math.max(...counts, 1);
  const room = (width - 2 * LANE.inset) / columns;
  return (
    <g>
      {counts.map((n, i) => {
        const high = (n / most) * (LANE.floor - LANE.top);
        return (
          <rect
            key={i}
            x={LANE.inset + i * room + 0.5}
            width={Math.max(room - 1, 1)}
            y={LANE.floor - high}
            height={high}
            fill="var(--spruce)"
            opacity={0.14}
          />
        );
      })}
      <path d={`M${LANE.inset} ${LANE.floor + 4}H${width - LANE.inset}`} stroke="var(--spruce)" strokeWidth={2} />
      {ticks(axis).map((tick) => (
        <text
          key={tick}
          x={LANE.inset + toShare(tick, axis) * (width - 2 * LANE.inset)}
          y={LANE.height - 0.5}
          textAnchor="middle"
          fontSize={10}
          fill="var(--soft)"
        >
          {figure(tick)}
        </text>
      ))}
    </g>
  );
}

function RangeMarks({
  parameter,
  axis,
  width,
  setting,
}: {
  parameter: RangeParameter;
  axis: Axis;
  width: number;
  setting: Setting | undefined;
}) {
  const room = width - 2 * LANE.inset;
  const x = (value: number) => LANE.inset + toShare(value, axis) * room;
  const usual = typeof setting?.default === "number" ? setting.default : null;
  return (
    <g>
      <rect
        x={x(parameter.from)}
        width={Math.max(x(parameter.to) - x(parameter.from), 0)}
        y={LANE.top - 6}
        height={LANE.floor - LANE.top + 10}
        fill="var(--spruce)"
        opacity={0.1}
      />
      <path d={`M${LANE.inset} ${LANE.floor + 4}H${width - LANE.inset}`} stroke="var(--rule)" />
      <path d={`M${x(parameter.from)} ${LANE.floor + 4}H${x(parameter.to)}`} stroke="var(--spruce)" strokeWidth={3} />
      {ticks(axis).map((tick) => (
        <text key={tick} x={x(tick)} y={LANE.height - 0.5} textAnchor="middle" fontSize={10} fill="var(--soft)">
          {figure(tick)}
        </text>
      ))}
      {usual !== null && toShare(usual, axis) >= 0 && toShare(usual, axis) <= 1 && (
        <path d={`M${x(usual)} ${LANE.floor + 9}l-4 6h8z`} fill="var(--ink)">
          <title>default {figure(usual)}</title>
        </path>
      )}
    </g>
  );
}

interface HandleProps {
  end: "from" | "to";
  parameter: RangeParameter;
  axis: Axis;
  width: number;
  onMove: (parameter: RangeParameter) => void;
  onDone: (parameter: RangeParameter) => void;
}

/** A draggable end: pointer, or arrow keys for a small step and Page keys for a large one. */
function Handle({ end, parameter, axis, width, onMove, onDone }: HandleProps) {
  const value = parameter[end];
  const room = width - 2 * LANE.inset;
  const x = LANE.inset + toShare(value, axis) * room;
  const dragged = useRef<RangeParameter | null>(null);
  const keyed = (steps: number) => {
    const whole =
      parameter.kind === "whole range" && !axis.log
        ? value + (parameter.step ?? 1) * Math.sign(steps) * Math.max(1, Math.round(Math.abs(steps) / 2))
        : null;
    const wanted = whole ?? toValue(toShare(value, axis) + steps * 0.01, axis);
    const next = moveEnd(parameter, end, wanted, axis);
    onDone(
      next[end] === value && parameter.kind === "whole range"
        ? moveEnd(parameter, end, value + Math.sign(steps), axis)
        : next,
    );
  };
  return (
    <g
      role="slider"
      tabIndex={0}
      aria-label={`${end === "from" ? "Lower" : "Upper"} end of ${parameter.name}`}
      aria-valuemin={0}
      aria-valuemax={100} // percent of the axis: a logarithmic one has values that only the text can say
      aria-valuenow={Math.round(100 * toShare(value, axis))}
      aria-valuetext={figure(value)}
      data-end={`${parameter.name}-${end}`}
      className="dragged"
      onKeyDown={(event) => {
        const steps = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1, PageDown: -8, PageUp: 8 }[event.key];
        if (steps === undefined) return;
        event.preventDefault();
        keyed(steps);
      }}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        dragged.current = parameter;
      }}
      onPointerMove={(event) => {
        if (!dragged.current) return;
        const left = event.currentTarget.ownerSVGElement!.getBoundingClientRect().left;
        dragged.current = moveEnd(
          dragged.current,
          end,
          toValue((event.clientX - left - LANE.inset) / room, axis),
          axis,
        );
        onMove(dragged.current);
      }}
      onPointerUp={() => {
        if (dragged.current) onDone(dragged.current);
        dragged.current = null;
      }}
    >
      <rect x={x - 12} y={LANE.top - 8} width={24} height={LANE.height - 8} fill="transparent" />
      <path d={`M${x} ${LANE.top - 4}V${LANE.floor + 4}`} stroke="var(--spruce)" strokeWidth={2} />
      <path
        d={end === "from" ? `M${x} ${LANE.floor - 8}h9l4 7-4 7h-9z` : `M${x} ${LANE.floor - 8}h-9l-4 7 4 7h9z`}
        fill="var(--spruce)"
      />
      <text
        x={x + (end === "from" ? 5 : -5)}
        y={LANE.top + 7}
        textAnchor={end === "from" ? "start" : "end"}
        fontSize={11.5}
        fontWeight={650}
        fill="var(--ink)"
        stroke="var(--sheet)"
        strokeWidth={3}
        paintOrder="stroke"
      >
        {figure(value)}
      </text>
    </g>
  );
}

/** The options of a choice as cells, each with its prior weight. */
function Options({
  parameter,
  width,
  onChange,
}: {
  parameter: ChoiceParameter;
  width: number;
  onChange: (p: Parameter) => void;
}) {
  const total = parameter.options.reduce((sum, option) => sum + option.weight, 0);
  const room = (width - 2 * LANE.inset) / parameter.options.length;
  const weigh = (index: number, factor: number) =>
    onChange({
      ...parameter,
      options: parameter.options.map((o, i) =>
        i === index ? { ...o, weight: Math.min(Math.max(o.weight * factor, 0.125), 16) } : o,
      ),
    });
  return (
    <div className="lane-options" style={{ left: LANE.inset, right: LANE.inset }}>
      {parameter.options.map((option, index) => (
        <div key={String(option.value)} className="row small closer lane-option" style={{ width: room }}>
          <b>{scalar(option.value)}</b>
          <span className="soft">{Math.round((option.weight / total) * 100)} %</span>
          <button
            className="plain-button key"
            aria-label={`Draw ${scalar(option.value)} less often`}
            onClick={() => weigh(index, 0.5)}
          >
            −
          </button>
          <button
            className="plain-button key"
            aria-label={`Draw ${scalar(option.value)} more often`}
            onClick={() => weigh(index, 2)}
          >
            +
          </button>
        </div>
      ))}
    </div>
  );
}
