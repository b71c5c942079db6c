/** How often what has changed is asked for again: at once where a person waits for it, seldom where it changes all the time. */
export const PACE = { now: 150, soon: 2000, slowly: 5000 } as const;
export type Pace = keyof typeof PACE | "never";

export interface Staleness {
  mark: (key: readonly unknown[], pace: Pace) => void;
  /** Everything that is held under a first word. */
  markAll: (kind: string, pace: Pace) => void;
  stop: () => void;
}

/** Collects what is stale; each key is given to `ask` at most once in its pace, and at the end of it at the latest. */
export function staleness(ask: (key: readonly unknown[]) => void): Staleness {
  const due = new Map<string, { at: number; timer: number }>();
  const last = new Map<string, number>();
  const mark = (key: readonly unknown[], pace: Pace) => {
    if (pace === "never") return;
    const name = JSON.stringify(key);
    const now = performance.now();
    const at = Math.max(now + Math.min(PACE[pace], PACE.now), (last.get(name) ?? -Infinity) + PACE[pace]);
    const known = due.get(name);
    if (known && known.at <= at) return;
    if (known) window.clearTimeout(known.timer);
    const timer = window.setTimeout(() => {
      due.delete(name);
      last.set(name, performance.now());
      ask(key);
    }, at - now);
    due.set(name, { at, timer });
  };
  return {
    mark,
    markAll: (kind, pace) => mark([kind], pace),
    stop: () => due.forEach(({ timer }) => window.clearTimeout(timer)),
  };
}
