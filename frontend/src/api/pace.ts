/** Collects what comes in and hands it on in batches, at a pace that leaves the machine to those who train on it. */

const LEAST = 120; // ms between two batches, so that a thousand entries a second cost eight updates
const MOST = 3000;
const SHARE = 0.1; // of the time, that applying and drawing may take
const FRAMES = 34; // ms that two frames last by themselves

export interface Paced<T> {
  add: (things: T[]) => void;
  stop: () => void;
}

/** Milliseconds to wait after a batch whose applying and drawing took so long. */
export const restAfter = (took: number) => Math.min(Math.max((took - FRAMES) * (1 / SHARE - 1), LEAST), MOST);

/** `apply` gets all that came since its last turn; `drawn` calls back when what it changed is on the screen. */
export function paced<T>(apply: (things: T[]) => void, drawn: (then: () => void) => void = afterTwoFrames): Paced<T> {
  let waiting: T[] = [];
  let timer: ReturnType<typeof setTimeout> | undefined;
  let rest = LEAST;
  let busy = false;
  let stopped = false;
  const plan = () => {
    if (!busy && !stopped && waiting.length) timer ??= setTimeout(turn, rest);
  };
  const turn = () => {
    timer = undefined;
    busy = true;
    const things = waiting;
    waiting = [];
    const begun = performance.now();
    apply(things);
    drawn(() => {
      rest = restAfter(performance.now() - begun);
      busy = false;
      plan();
    });
  };
  return {
    add: (things) => {
      waiting.push(...things);
      plan();
    },
    stop: () => {
      stopped = true;
      clearTimeout(timer);
    },
  };
}

/** Pages that are not seen draw nothing: they wait for no frame. */
function afterTwoFrames(then: () => void): void {
  if (document.visibilityState === "hidden") setTimeout(then);
  else requestAnimationFrame(() => requestAnimationFrame(() => setTimeout(then)));
}
