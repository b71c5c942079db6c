import { useEffect, useRef } from "react";
import { useLocation, useNavigate } from "react-router";
import { carriedBy, changed } from "../../lib/change";
import type { useSpaceDraft } from "./useSpaceDraft";

type Draft = Pick<ReturnType<typeof useSpaceDraft>, "learner" | "setLearner" | "text" | "setText">;

/** A change that Evidence proposed is made to the space, once; Undo takes it back. The plan takes its part where it is laid out. */
export function useCarried(draft: Draft) {
  const location = useLocation();
  const navigate = useNavigate();
  const done = useRef<unknown>(null);
  useEffect(() => {
    const carried = carriedBy(location.state);
    if (!carried || done.current === carried) return;
    if (draft.learner !== carried.learner) {
      draft.setLearner(carried.learner);
      return; // its text comes with the next look
    }
    if (!draft.text) return;
    done.current = carried;
    const names = new Set(draft.text.split("\n").map((line) => line.split(":")[0]!.trim()));
    const fits = carried.lines.every((line) => names.has(line.name));
    draft.setText(changed(fits ? draft.text : carried.space, carried));
    void navigate(location.pathname + location.search, { replace: true, state: null });
  }, [draft, location, navigate]);
}
