import { useColorScheme } from "@mui/material/styles";
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import type { Lanes, Schemas } from "../api/client";
import { duration, percent } from "../lib/format";
import { colour, prepare } from "./canvas";
import { useWidth } from "./useWidth";
import { LANE, layOut, machinesOf, type Block } from "./workerLanesLayout";

const OUTCOMES: Record<string, string> = {
  running: "--honey",
  error: "--ember",
  "too long": "--ember",
  "too large": "--ember",
  lost: "--ember",
  cut: "--soft",
};
const NOWHERE: Schemas["LaneView"][] = [];

interface Props {
  lanes: Lanes;
  workers: number;
  running: boolean;
  span: number;
  places?: Schemas["LaneView"][]; // where lanes are now, on a cluster
  onPick: (trial: number) => void;
}

/** One lane a worker, a block a fit, idle time blank; lanes of a cluster below the names of their machines. */
export function WorkerLanes({ lanes, workers, running, span, places = NOWHERE, onPick }: Props) {
  const [box, width] = useWidth(600);
  const canvas = useRef<HTMLCanvasElement>(null);
  const { mode } = useColorScheme();
  const now = useNow(running, lanes.now);
  const lastEnd = useMemo(() => Math.max(...lanes.fits.map((f) => f.ended_at ?? 0), 0), [lanes]);
  const machines = useMemo(() => machinesOf(lanes.fits, places), [lanes, places]);
  const picture = useMemo(
    () => layOut(lanes.fits, running ? now : lastEnd, span, width, workers, machines),
    [lanes, running, now, lastEnd, span, width, workers, machines],
  );
  const [hovered, setHovered] = useState<Block | null>(null);
  const holding = [...lanes.devices, ...places].filter((held) => held.devices.length > 0);
  const devices = new Map(holding.map((held) => [held.lane, held.devices.join(", ")]));
  const waits = new Map(places.filter((at) => at.waits).map((at) => [at.lane, at.waits]));
  const { height } = picture;
  useLayoutEffect(() => {
    if (!canvas.current) return;
    const pen = prepare(canvas.current, width, height);
    const ink = Object.fromEntries(
      ["--sunk", "--spruce", "--honey", "--ember", "--soft", "--sheet"].map((n) => [n, colour(n)]),
    );
    pen.fillStyle = ink["--sunk"]!;
    for (const { y } of picture.lanes) pen.fillRect(0, y, width, LANE);
    for (const { x, y, width: w, fit } of picture.blocks) {
      pen.fillStyle = ink[OUTCOMES[fit.state] ?? "--spruce"]!;
      // Neighbouring trials differ in strength, so that the folds of one trial read as a group.
      pen.globalAlpha = fit.state === "done" ? (fit.trial % 2 ? 0.95 : 0.6) : 1;
      pen.fillRect(x, y, Math.max(w - (w > 4 ? 1 : 0), 0.8), LANE);
      pen.globalAlpha = 1;
      if (["error", "too long", "too large", "lost"].includes(fit.state) && w > 3) {
        pen.fillStyle = ink["--sheet"]!;
        pen.fillRect(x + w / 2 - 1, y + 4, 2, LANE - 8);
      }
    }
  }, [picture, width, height, mode]);
  const find = (event: React.PointerEvent) => {
    const at = event.currentTarget.getBoundingClientRect();
    const [x, y] = [event.clientX - at.left, event.clientY - at.top];
    return (
      picture.blocks.findLast((b) => y >= b.y && y < b.y + LANE && x >= b.x && x <= b.x + Math.max(b.width, 3)) ?? null
    );
  };
  return (
    <div className="worker-lanes" style={{ gridTemplateColumns: `${devices.size ? 96 : 26}px minmax(0, 1fr) 52px` }}>
      <div className="anchor" style={{ height }}>
        {picture.lanes.map(({ lane, y }) => (
          <Cell key={lane} y={y}>
            {devices.has(lane) && <span data-device={devices.get(lane)}>device {devices.get(lane)} · </span>}
            {lane + 1}
          </Cell>
        ))}
      </div>
      <div
        className="anchor"
        ref={box}

        onPointerMove={(e) => setHovered(find(e))}
        onPointerLeave={() => setHovered(null)}
        onClick={() => hovered && onPick(hovered.fit.trial)}
      >
        <canvas
          className="block"
          ref={canvas}
          style={{ width, height, cursor: hovered ? "pointer" : undefined }}
          role="img"
          aria-label={`Worker lanes: ${picture.lanes.map((l) => spoken(l.lane, l.used, machines, waits)).join(", ")}`}
        />
        {picture.headings.map(({ machine, y }) => (
          <b key={machine} className="small on-lane" style={{ top: y }} data-machine={machine}>
            {machine || "without a machine"}
          </b>
        ))}
        {picture.lanes
          .filter(({ lane }) => waits.has(lane))
          .map(({ lane, y }) => (
            <span key={lane} className="small soft on-lane waits" style={{ top: y }} data-waits={lane}>
              {waits.get(lane)}
            </span>
          ))}
        <div className="row small soft to-both-ends">
          <span>{duration(picture.to - picture.from)} ago</span>
          <span data-hover>
            {hovered
              ? `trial ${hovered.fit.trial}, fold ${hovered.fit.fold + 1}: ${hovered.fit.state}, ${duration(hovered.fit.seconds)}`
              : ""}
          </span>
          <span>{running ? "now" : "end"}</span>
        </div>
      </div>
      <div className="anchor" style={{ height }}>
        {picture.lanes.map(({ lane, y, used }) => (
          <Cell key={lane} y={y}>
            {percent(used)}
          </Cell>
        ))}
      </div>
    </div>
  );
}

function spoken(lane: number, used: number, machines: Map<number, string>, waits: Map<number, string>): string {
  const where = machines.get(lane) ? ` on ${machines.get(lane)}` : "";
  return waits.has(lane)
    ? `worker ${lane + 1} waits: ${waits.get(lane)}`
    : `worker ${lane + 1}${where} used ${percent(used)}`;
}

const Cell = ({ y, children }: { y: number; children: React.ReactNode }) => (
  <div className="small soft right on-lane" style={{ top: y }}>
    {children}
  </div>
);

/** The server's clock, carried on by the browser's between answers. */
function useNow(running: boolean, known: number): number {
  const [now, setNow] = useState(known);
  useEffect(() => {
    if (!running) return;
    const begun = performance.now();
    const timer = window.setInterval(() => setNow(known + (performance.now() - begun) / 1000), 250);
    return () => window.clearInterval(timer);
  }, [running, known]);
  return Math.max(now, known);
}
