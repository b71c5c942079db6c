/** Fits as blocks along time, a lane a worker: numbers in, rectangles out. */
import type { FitView } from "../api/client";

export interface Block {
  lane: number;
  x: number;
  width: number;
  fit: FitView;
}

export interface WorkerLane {
  lane: number;
  used: number; // share of the shown time in which it was fitting
}

export interface WorkerPicture {
  lanes: WorkerLane[];
  blocks: Block[];
  from: number;
  to: number;
}

/** Show the last `span` seconds up to `now` (or all of it when it took less). */
export function layOut(fits: FitView[], now: number, span: number, width: number, workers: number): WorkerPicture {
  const timed = fits.filter((fit) => fit.started_at !== null && fit.lane !== null);
  const first = timed.length ? Math.min(...timed.map((f) => f.started_at!)) : now;
  const from = Math.max(first, now - span);
  const to = Math.max(now, from + 1);
  const scale = width / (to - from);
  const busy = new Map<number, number>();
  const blocks: Block[] = [];
  for (const fit of timed) {
    const begun = Math.max(fit.started_at!, from);
    const ended = fit.ended_at ?? now;
    if (ended <= from) continue;
    busy.set(fit.lane!, (busy.get(fit.lane!) ?? 0) + ended - begun);
    blocks.push({ lane: fit.lane!, x: (begun - from) * scale, width: Math.max((ended - begun) * scale, 1), fit });
  }
  const count = Math.max(workers, ...blocks.map((b) => b.lane + 1));
  const lanes = Array.from({ length: count }, (_, lane) => ({
    lane,
    used: Math.min((busy.get(lane) ?? 0) / (to - from), 1),
  }));
  return { lanes, blocks, from, to };
}
