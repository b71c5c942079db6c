import { memo, useRef, useState, type RefObject } from "react";
import type { Scalar } from "../api/client";
import type { Curve } from "../api/evidence";
import { figure, scalar } from "../lib/format";
import type { ScoreScale } from "../lib/ramp";
import { isChoice, ticks, toShare, type Axis, type ChoiceParameter, type Parameter } from "../lib/scale";
import { CurveBand } from "./CurveBand";
import { FLOOR, HEIGHT, INSET, TOP, brushed, nearestKept, stretchAt } from "./evidenceLaneLayout";
import type { Placed } from "./pixelDotsLayout";

interface Props {
  parameter: Parameter;
  axis: Axis | null;
  width: number;
  placed: Placed;
  kept: RefObject<Uint8Array | null>; // as it is now: a lane is not drawn anew for it
  curve: Curve | undefined;
  kind: "average" | "near";
  scale: ScoreScale;
  stretch: [number, number] | null;
  onHover: (index: number | null) => void;
  onPick: (index: number) => void;
  onStretch: (name: string, stretch: [number, number] | null, done: boolean) => void;
  onOption: (parameter: ChoiceParameter, option: Scalar) => void;
}

/** A setting's lane: trials along it, the curve with its band, and a stretch that a drag keeps. */
export const EvidenceLane = memo(function EvidenceLane(props: Props) {
  const { parameter, axis, width, placed, kept, curve, kind, scale, stretch } = props;
  const began = useRef<number | null>(null);
  const corner = useRef({ left: 0, top: 0 }); // of the lane: asked for once a drag, for asking costs a layout
  const [dragging, setDragging] = useState(false);
  const at = (event: React.PointerEvent) => {
    if (began.current === null) corner.current = event.currentTarget.getBoundingClientRect();
    return [event.clientX - corner.current.left, event.clientY - corner.current.top] as const;
  };
  const move = (event: React.PointerEvent) => {
    const [x, y] = at(event);
    if (began.current !== null && axis && Math.abs(x - began.current) > 4) {
      setDragging(true);
      props.onStretch(parameter.name, stretchAt(axis, width, began.current, x), false);
    } else if (began.current === null) props.onHover(nearestKept(placed, kept.current, x, y));
  };
  const up = (event: React.PointerEvent) => {
    const [x, y] = at(event);
    if (dragging && axis && began.current !== null)
      props.onStretch(parameter.name, stretchAt(axis, width, began.current, x), true);
    else {
      const found = nearestKept(placed, kept.current, x, y);
      if (found !== null) props.onPick(found);
      else if (stretch) props.onStretch(parameter.name, null, true);
    }
    began.current = null;
    setDragging(false);
  };
  const rect = stretch && axis ? brushed(stretch, axis, width) : null;
  return (
    <div
      className="anchor lane-of-evidence"
      style={{ height: HEIGHT, cursor: dragging ? "ew-resize" : axis ? "crosshair" : undefined }}
      data-brush={parameter.name}
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        event.currentTarget.setPointerCapture(event.pointerId);
        began.current = at(event)[0];
      }}
      onPointerMove={move}
      onPointerUp={up}
      onPointerLeave={() => began.current === null && props.onHover(null)}
    >
      <svg width={width} height={HEIGHT} className="fills" aria-hidden>
        {rect && (
          <rect x={rect[0]} y={0} width={Math.max(rect[1] - rect[0], 1)} height={FLOOR + 4} fill="var(--honey-tint)" />
        )}
        <path d={`M${INSET} ${FLOOR + 3}H${width - INSET}`} stroke="var(--rule)" />
        {curve && <CurveBand {...{ curve, kind, parameter, axis, width, scale }} room={{ floor: FLOOR, top: TOP }} />}
        {axis &&
          ticks(axis).map((t) => (
            <text
              key={t}
              x={INSET + toShare(t, axis) * (width - 2 * INSET)}
              y={HEIGHT - 4}
              fontSize={10.5}
              fill="var(--soft)"
              textAnchor="middle"
            >
              {figure(t)}
            </text>
          ))}
      </svg>
      {isChoice(parameter) && <Options parameter={parameter} width={width} onOption={props.onOption} />}
    </div>
  );
});

function Options({
  parameter,
  width,
  onOption,
}: {
  parameter: ChoiceParameter;
  width: number;
  onOption: Props["onOption"];
}) {
  const each = (width - 2 * INSET) / parameter.options.length;
  return parameter.options.map((option, i) => (
    <button
      key={i}
      className="plain-button tiny soft centred cut placed"
      style={{ left: INSET + i * each, width: each, top: FLOOR + 4 }}
      title={`Keep or leave out ${parameter.name} = ${scalar(option.value)}`}
      onPointerDown={(event) => event.stopPropagation()}
      onPointerUp={(event) => event.stopPropagation()}
      onClick={() => onOption(parameter, option.value)}
    >
      {scalar(option.value)}
    </button>
  ));
}
