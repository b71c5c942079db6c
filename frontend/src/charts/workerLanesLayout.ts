/** Fits as blocks along time, a lane a worker, lanes of one machine together: numbers in, rectangles out. */
import type { FitView } from "../api/client";

export const LANE = 20;
const GAP = 4;
const HEADING = 18;

export interface Block {
  lane: number;
  x: number;
  y: number;
  width: number;
  fit: FitView;
}

export interface WorkerLane {
  lane: number;
  y: number;
  used: number; // share of the shown time in which it was fitting
}

export interface WorkerPicture {
  lanes: WorkerLane[];
  blocks: Block[];
  headings: { machine: string; y: number }[];
  height: number;
  from: number;
  to: number;
}

/** The machine of each lane: where it is now, else where its newest fit ran; none on the server's own machine. */
export function machinesOf(fits: FitView[], now: { lane: number; machine: string }[]): Map<number, string> {
  const found = new Map<number, string>();
  for (const fit of fits) if (fit.lane !== null && fit.machine) found.set(fit.lane, fit.machine);
  for (const { lane, machine } of now) found.set(lane, machine);
  return found;
}

/** Show the last `span` seconds up to `now` (or all of it when it took less). */
export function layOut(
  fits: FitView[],
  now: number,
  span: number,
  width: number,
  workers: number,
  machines: Map<number, string> = new Map(),
): WorkerPicture {
  const timed = fits.filter((fit) => fit.started_at !== null && fit.lane !== null);
  const first = timed.length ? Math.min(...timed.map((f) => f.started_at!)) : now;
  const from = Math.max(first, now - span);
  const to = Math.max(now, from + 1);
  const scale = width / (to - from);
  const shown = timed.filter((fit) => (fit.ended_at ?? now) > from);
  const count = Math.max(workers, ...shown.map((fit) => fit.lane! + 1));
  const { places, headings, height } = stacked(count, machines);
  const busy = new Map<number, number>();
  const blocks = shown.map((fit): Block => {
    const begun = Math.max(fit.started_at!, from);
    const ended = fit.ended_at ?? now;
    busy.set(fit.lane!, (busy.get(fit.lane!) ?? 0) + ended - begun);
    const x = (begun - from) * scale;
    return { lane: fit.lane!, x, y: places.get(fit.lane!)!, width: Math.max((ended - begun) * scale, 1), fit };
  });
  const lanes = [...places].map(([lane, y]) => ({ lane, y, used: Math.min((busy.get(lane) ?? 0) / (to - from), 1) }));
  return { lanes, blocks, headings, height, from, to };
}

/** Where each lane lies: by their numbers, or below a heading for each machine, those without one last. */
function stacked(count: number, machines: Map<number, string>) {
  const numbers = Array.from({ length: count }, (_, lane) => lane);
  const grouped = machines.size > 0;
  const of = (lane: number) => machines.get(lane) ?? "";
  if (grouped) numbers.sort((a, b) => Number(!of(a)) - Number(!of(b)) || of(a).localeCompare(of(b)) || a - b);
  const places = new Map<number, number>();
  const headings: { machine: string; y: number }[] = [];
  let y = 0;
  for (const lane of numbers) {
    if (grouped && (headings.length === 0 || headings.at(-1)!.machine !== of(lane))) {
      headings.push({ machine: of(lane), y });
      y += HEADING;
    }
    places.set(lane, y);
    y += LANE + GAP;
  }
  return { places, headings, height: y };
}
