import type { Waiting } from "../../api/machines";

/** Below the lanes: what keeps workers from work, and how many the search can really use. */
export function Idle({ waiting }: { waiting: Waiting }) {
  const { idle, advice, suggested } = waiting;
  if (!idle && !advice) return null;
  return (
    <p className="small soft" role="note" data-suggested={suggested ?? undefined}>
      {[idle && `Workers that are idle wait: ${idle}.`, advice].filter(Boolean).join(" ")}
    </p>
  );
}
