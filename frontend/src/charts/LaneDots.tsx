import { useColorScheme } from "@mui/material/styles";
import { memo, useLayoutEffect, useRef } from "react";
import { ramp } from "../lib/ramp";
import { prepare } from "./canvas";
import { LANE, type Dot } from "./laneLayout";

/** The trials of a lane, drawn once on a canvas; thousands cost no more than the pixels they cover. */
export const LaneDots = memo(function LaneDots({ dots, width }: { dots: Dot[]; width: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { mode } = useColorScheme();
  useLayoutEffect(() => {
    if (!canvas.current) return;
    const pen = prepare(canvas.current, width, LANE.height);
    const radius = dots.length > 600 ? 1.6 : 3;
    pen.globalAlpha = dots.length > 600 ? 0.7 : 0.9;
    for (const dot of [...dots].sort((a, b) => a.share - b.share)) {
      pen.beginPath();
      pen.arc(dot.x, dot.y, dot.broken ? radius - 0.5 : radius, 0, 7);
      if (dot.broken) {
        pen.strokeStyle = ramp(dot.share);
        pen.stroke();
      } else {
        pen.fillStyle = ramp(dot.share);
        pen.fill();
      }
    }
  }, [dots, width, mode]);
  return <canvas ref={canvas} className="fills" style={{ width, height: LANE.height }} aria-hidden />;
});
