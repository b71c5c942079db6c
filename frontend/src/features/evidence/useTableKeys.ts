import { useEffect, type RefObject } from "react";
import type { TrialRow } from "../../api/client";
import { useTrialRemarks } from "../../api/trials";

interface Keys {
  rows: Map<number, TrialRow>;
  total: number;
  at: number;
  setAt: (index: number) => void;
  inspect: (id: number | null) => void;
  mark: (id: number) => void;
  selected: number | null;
  filter: RefObject<HTMLInputElement | null>;
  scrollTo: (index: number) => void;
}

/** The table by keys: up, down, inspect, shortlist, mark for comparing, filter. */
export function useTableKeys({ rows, total, at, setAt, inspect, mark, selected, filter, scrollTo }: Keys) {
  const here = rows.get(at);
  const remarks = useTrialRemarks(here?.id ?? 0);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const typing = event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName);
      if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
      const step = { j: 1, k: -1, ArrowDown: 1, ArrowUp: -1 }[event.key];
      if (step !== undefined) {
        const next = Math.min(Math.max(at + step, 0), total - 1);
        setAt(next);
        scrollTo(next);
        const trial = rows.get(next);
        if (selected !== null && trial) inspect(trial.id);
      } else if (event.key === "Enter" && here) inspect(here.id);
      else if (event.key === "s" && here) remarks.mutate({ shortlisted: !here.shortlisted });
      else if (event.key === "x" && here) mark(here.id);
      else if (event.key === "/") filter.current?.focus();
      else return;
      event.preventDefault();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  });
}
