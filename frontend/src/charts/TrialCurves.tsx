import { useColorScheme } from "@mui/material/styles";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Curves } from "../api/client";
import { figure, percent, score } from "../lib/format";
import { goodness, ramp, type ScoreScale } from "../lib/ramp";
import { colour, prepare } from "./canvas";
import { boxOf, place, ticks, type Ends } from "./plotLayout";
import { layOut, nearest, scoreEnds, type Drawn } from "./trialCurvesLayout";
import { useWidth } from "./useWidth";

interface Props {
  curves: Curves;
  larger: boolean;
  metric: string;
  counter: string;
  scale: ScoreScale;
  height: number;
  onPick: (id: number) => void;
}

/** Score against what was spent on each trial: survivors in front, those that ended early with a tick where they were cut. */
export function TrialCurves({ curves, larger, metric, counter, scale, height, onPick }: Props) {
  const [ref, width] = useWidth();
  const canvas = useRef<HTMLCanvasElement>(null);
  const above = useRef<HTMLCanvasElement>(null);
  const [held, hold] = useState<number | null>(null);
  const { mode } = useColorScheme();
  const most = Math.max(curves.levels.at(-1) ?? 1, ...curves.xs.map((xs) => xs.at(-1) ?? 0));
  const x = useMemo<Ends>(() => ({ low: 0, high: most * 1.02 }), [most]);
  const y = useMemo(() => scoreEnds(curves, larger), [curves, larger]);
  const box = useMemo(() => boxOf(width, height), [width, height]);
  const drawn = useMemo(() => layOut(curves, box, x, y), [curves, box, x, y]);
  const found = held === null ? null : (drawn.find((d) => d.index === held) ?? null);

  useEffect(() => {
    const pen = prepare(canvas.current!, width, height);
    frame(pen, curves, box, x, y, across(curves, counter));
    for (const curve of drawn) draw(pen, curve, tone(curves, curve, scale), box.bottom);
    canvas.current!.dataset.finished = "yes";
  }, [curves, drawn, box, x, y, width, height, scale, counter, mode]);

  useEffect(() => {
    const pen = prepare(above.current!, width, height);
    if (found) draw(pen, found, colour("--ink"), box.bottom, 2.6);
  }, [found, width, height, box, mode]);

  const at = (event: React.PointerEvent): [number, number] => {
    const from = event.currentTarget.getBoundingClientRect();
    return [event.clientX - from.left, event.clientY - from.top];
  };
  const counted = (kind: Drawn["kind"]) => drawn.filter((d) => d.kind === kind).length;
  return (
    <div ref={ref} data-curves={drawn.length}>
      <div
        className="anchor"
        style={{ height, cursor: found ? "pointer" : undefined }}
        role="img"
        aria-label={`${metric} against ${across(curves, counter)} for ${drawn.length} trials; the trial table has the numbers`}
        onPointerMove={(event) => hold(nearest(drawn, at(event))?.index ?? null)}
        onPointerLeave={() => hold(null)}
        onClick={() => found && onPick(curves.ids[found.index]!)}
      >
        <canvas ref={canvas} className="placed" style={{ width, height }} />
        <canvas ref={above} className="placed untouched" style={{ width, height }} />
      </div>
      <p className="small soft cut says" data-held>
        {found ? words(curves, found) : legend(counted)}
      </p>
    </div>
  );
}

const across = (curves: Curves, counter: string) =>
  curves.resource === "rows"
    ? "rows learnt from, %"
    : curves.resource === "iterations"
      ? counter
      : "folds scored (mean so far, fold effects taken off)";

function legend(counted: (kind: Drawn["kind"]) => number): string {
  const parts = [
    [counted("whole"), "in full"],
    [counted("under way"), "under way"],
    [counted("waiting"), "waiting at a rung"],
    [counted("ended early"), "ended early ⊥"],
    [counted("flat"), "flat from the start ┄"],
  ] as const;
  return parts
    .filter(([n]) => n > 0)
    .map(([n, what]) => `${n} ${what}`)
    .join(" · ");
}

function words(curves: Curves, { index }: Drawn): string {
  const name = curves.origins[index] === "baseline" ? "Baseline" : `Trial ${curves.numbers[index]}`;
  const reached = curves.xs[index]!.at(-1)!;
  const unit = curves.resource === "rows" ? percent(reached / 100) + " of the rows" : `${reached} ${curves.resource}`;
  const best = curves.best_iterations[index];
  const where = best !== null && best !== reached ? `, best at ${best}` : "";
  const why = curves.reasons[index] ? ` · ${curves.reasons[index]}` : ` · ${curves.states[index]}`;
  return `${name}: ${score(curves.ys[index]!.at(-1))} after ${unit}${where}${why}`;
}

function tone(curves: Curves, { index, kind }: Drawn, scale: ScoreScale): string {
  if (kind === "baseline") return colour("--ink");
  if (kind === "under way") return colour("--honey");
  if (kind === "whole") return ramp(goodness(curves.ys[index]!.at(-1)!, scale));
  return colour(kind === "waiting" ? "--soft" : "--rule");
}

function draw(pen: CanvasRenderingContext2D, { path, kind }: Drawn, ink: string, floor: number, wide?: number) {
  const last = path.at(-1)!;
  pen.strokeStyle = ink;
  pen.lineWidth = wide ?? (kind === "whole" || kind === "under way" ? 1.9 : 1.1);
  pen.setLineDash(kind === "baseline" ? [6, 4] : kind === "flat" ? [2, 3] : []);
  pen.beginPath();
  path.forEach(([px, py], i) => (i ? pen.lineTo(px, py) : pen.moveTo(px, py)));
  if (path.length === 1) pen.lineTo(last[0] + 3, last[1]);
  pen.stroke();
  pen.setLineDash([]);
  if (kind === "ended early" || kind === "flat") {
    pen.strokeStyle = wide ? ink : colour("--ember");
    pen.lineWidth = wide ? 2 : 1.3;
    pen.beginPath();
    pen.moveTo(last[0], Math.max(last[1] - 4, 0));
    pen.lineTo(last[0], Math.min(last[1] + 4, floor));
    pen.stroke();
  } else if (kind === "waiting" || kind === "under way") {
    pen.fillStyle = ink;
    pen.beginPath();
    pen.arc(last[0], last[1], kind === "waiting" ? 2 : 3, 0, 7);
    pen.fill();
  }
}

function frame(
  pen: CanvasRenderingContext2D,
  curves: Curves,
  box: ReturnType<typeof boxOf>,
  x: Ends,
  y: Ends,
  label: string,
) {
  pen.font = "10.5px Inter Variable, system-ui, sans-serif";
  pen.lineWidth = 1;
  pen.strokeStyle = colour("--rule");
  pen.fillStyle = colour("--soft");
  pen.textAlign = "end";
  for (const t of ticks(y, 4)) {
    const at = place(t, y, box.bottom, box.top);
    line(pen, box.left, at, box.right, at);
    pen.fillText(figure(t), box.left - 6, at + 3.5);
  }
  // Verdicts fall at the rungs: they are the grid.
  const rungs = curves.levels.length > 1 ? curves.levels : ticks({ low: 0, high: x.high }, 6).filter((t) => t > 0);
  pen.textAlign = "center";
  let last = -100;
  for (const t of rungs) {
    const at = place(t, x, box.left, box.right);
    if (curves.levels.length > 1) line(pen, at, box.top, at, box.bottom);
    if (at - last > 16) {
      pen.fillText(String(t), at, box.bottom + 14);
      last = at;
    }
  }
  pen.fillText(label, (box.left + box.right) / 2, box.bottom + 30);
}

function line(pen: CanvasRenderingContext2D, ax: number, ay: number, bx: number, by: number) {
  pen.beginPath();
  pen.moveTo(ax, Math.round(ay) + 0.5);
  pen.lineTo(bx, Math.round(by) + 0.5);
  pen.stroke();
}
