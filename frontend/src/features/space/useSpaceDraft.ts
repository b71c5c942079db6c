import { useCallback, useEffect, useMemo, useState } from "react";
import type { Schemas } from "../../api/client";
import { checkSpace, useSpace, type Whose } from "../../api/planning";
import { keepDraft, readDraft } from "../../lib/kept";
import { useDebounced } from "../../ui/useDebounced";
import { isRequirement, type Entry, type Parameter } from "../../lib/scale";

type SpaceView = Schemas["SpaceView"];

interface Kept {
  learner: string;
  texts: Record<string, string>; // by learner
}

const MOST_UNDO = 100;
const keyOf = (problem: number) => `pellux-space-${problem}`;

/** The space while it is being laid out: text and lanes in step, undo, kept in the browser so that nothing is lost. */
export function useSpaceDraft(
  problem: number,
  after: string,
  task: string | null,
  first: { learner: string; text: string | null },
) {
  const [kept, setKept] = useState<Kept>(
    () =>
      (readDraft(keyOf(problem), after) as Kept | null) ?? {
        learner: first.learner,
        texts: first.text ? { [first.learner]: first.text } : {},
      },
  );
  const [past, setPast] = useState<string[]>([]);
  const [moved, setMoved] = useState<Entry[] | null>(null); // lanes ahead of the server's answer
  const [laneError, setLaneError] = useState<string | null>(null); // a change of a lane that cannot be
  const { learner } = kept;
  const whose = useMemo<Whose>(
    () => (task === null ? { learner: "", task: "", problem } : { learner, task, problem }),
    [learner, task, problem],
  );
  const standard = useSpace(whose, null);
  const text = kept.texts[learner] ?? standard.data?.text;
  const asked = useDebounced(text, 180);
  const checked = useSpace(whose, asked);
  // What nobody has touched is no draft: it may begin otherwise the next time, with what is known then.
  const [opened] = useState(kept);
  useEffect(() => {
    if (kept !== opened) keepDraft(keyOf(problem), after, kept);
  }, [problem, after, kept, opened]);

  const put = useCallback(
    (next: string, remember = true) => {
      if (remember && text !== undefined) setPast((held) => [...held, text].slice(-MOST_UNDO));
      setKept((held) => ({ ...held, texts: { ...held.texts, [held.learner]: next } }));
    },
    [text],
  );
  const setParameters = useCallback(
    async (parameters: Entry[]) => {
      setMoved(parameters);
      try {
        const answer = await checkSpace({ ...whose, parameters: parameters as never });
        if (answer.error) setLaneError(answer.error.split("\n")[0]!);
        else {
          setLaneError(null);
          put(answer.text);
        }
      } finally {
        setMoved(null);
      }
    },
    [whose, put],
  );
  const undo = useCallback(() => {
    const last = past[past.length - 1];
    if (last === undefined) return;
    setPast(past.slice(0, -1));
    put(last, false);
  }, [past, put]);
  const setLearner = (key: string) => {
    setPast([]);
    setKept((held) => ({ ...held, learner: key }));
  };
  const reset = () => standard.data && put(standard.data.text);
  const [good, setGood] = useState<SpaceView | null>(null);
  if (checked.data && !checked.data.error && !checked.isPlaceholderData && good !== checked.data) setGood(checked.data);
  const entries = moved ?? ((good?.parameters ?? null) as Entry[] | null);
  const parameters = entries && entries.filter((entry): entry is Parameter => !isRequirement(entry));
  const inStep = asked === text && !checked.isPlaceholderData && checked.isSuccess && !checked.data.error;
  return {
    learner,
    setLearner,
    text: text ?? "",
    setText: put,
    checked: checked.data ?? null,
    refusal: checked.error,
    good,
    entries,
    parameters,
    laneError,
    setParameters,
    undo,
    canUndo: past.length > 0,
    reset,
    inStep,
  };
}
