import { useColorScheme } from "@mui/material/styles";
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import type { Lanes } from "../api/client";
import { duration, percent } from "../lib/format";
import { colour, prepare } from "./canvas";
import { useWidth } from "./useWidth";
import { layOut, type Block } from "./workerLanesLayout";

const HEIGHT = 20;
const GAP = 4;
const OUTCOMES: Record<string, string> = {
  running: "--honey",
  error: "--ember",
  "too long": "--ember",
  "too large": "--ember",
  lost: "--ember",
  cut: "--soft",
};

interface Props {
  lanes: Lanes;
  workers: number;
  running: boolean;
  span: number;
  onPick: (trial: number) => void;
}

/** One lane a worker, a block a fit, idle time blank. */
export function WorkerLanes({ lanes, workers, running, span, onPick }: Props) {
  const [box, width] = useWidth(600);
  const canvas = useRef<HTMLCanvasElement>(null);
  const { mode } = useColorScheme();
  const now = useNow(running, lanes.now);
  const lastEnd = useMemo(() => Math.max(...lanes.fits.map((f) => f.ended_at ?? 0), 0), [lanes]);
  const picture = useMemo(
    () => layOut(lanes.fits, running ? now : lastEnd, span, width, workers),
    [lanes, running, now, lastEnd, span, width, workers],
  );
  const [hovered, setHovered] = useState<Block | null>(null);
  const devices = new Map(lanes.devices.map((held) => [held.lane, held.devices.join(", ")]));
  const height = picture.lanes.length * (HEIGHT + GAP);
  useLayoutEffect(() => {
    if (!canvas.current) return;
    const pen = prepare(canvas.current, width, height);
    const ink = Object.fromEntries(
      ["--sunk", "--spruce", "--honey", "--ember", "--soft", "--sheet"].map((n) => [n, colour(n)]),
    );
    pen.fillStyle = ink["--sunk"]!;
    for (const { lane } of picture.lanes) pen.fillRect(0, lane * (HEIGHT + GAP), width, HEIGHT);
    for (const { lane, x, width: w, fit } of picture.blocks) {
      const top = lane * (HEIGHT + GAP);
      pen.fillStyle = ink[OUTCOMES[fit.state] ?? "--spruce"]!;
      // Neighbouring trials differ in strength, so that the folds of one trial read as a group.
      pen.globalAlpha = fit.state === "done" ? (fit.trial % 2 ? 0.95 : 0.6) : 1;
      pen.fillRect(x, top, Math.max(w - (w > 4 ? 1 : 0), 0.8), HEIGHT);
      pen.globalAlpha = 1;
      if (["error", "too long", "too large", "lost"].includes(fit.state) && w > 3) {
        pen.fillStyle = ink["--sheet"]!;
        pen.fillRect(x + w / 2 - 1, top + 4, 2, HEIGHT - 8);
      }
    }
  }, [picture, width, height, mode]);
  const find = (event: React.PointerEvent) => {
    const at = event.currentTarget.getBoundingClientRect();
    const lane = Math.floor((event.clientY - at.top) / (HEIGHT + GAP));
    const x = event.clientX - at.left;
    return picture.blocks.findLast((b) => b.lane === lane && x >= b.x && x <= b.x + Math.max(b.width, 3)) ?? null;
  };
  return (
    <div style={{ display: "grid", gridTemplateColumns: `${devices.size ? 96 : 26}px minmax(0, 1fr) 52px` }}>
      <div>
        {picture.lanes.map(({ lane }) => (
          <Cell key={lane}>
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
          aria-label={`Worker lanes: ${picture.lanes.map((l) => `worker ${l.lane + 1} used ${percent(l.used)}`).join(", ")}`}
        />
        <div className="row small soft" style={{ justifyContent: "space-between" }}>
          <span>{duration(picture.to - picture.from)} ago</span>
          <span data-hover>
            {hovered
              ? `trial ${hovered.fit.trial}, fold ${hovered.fit.fold + 1}: ${hovered.fit.state}, ${duration(hovered.fit.seconds)}`
              : ""}
          </span>
          <span>{running ? "now" : "end"}</span>
        </div>
      </div>
      <div>
        {picture.lanes.map(({ lane, used }) => (
          <Cell key={lane}>{percent(used)}</Cell>
        ))}
      </div>
    </div>
  );
}

const Cell = ({ children }: { children: React.ReactNode }) => (
  <div className="small soft right" style={{ height: HEIGHT, marginBottom: GAP, lineHeight: `${HEIGHT}px` }}>
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
