import Button from "@mui/material/Button";
import { useState } from "react";
import type { Search } from "../../api/client";
import { useTryByHand } from "../../api/searches";
import { useTrial } from "../../api/trials";
import { settingsOf } from "../../lib/pastResults";

/** Try a configuration by hand: begins as the best one, changed in text. */
export function ByHand({ search, onClose }: { search: Search; onClose: () => void }) {
  // The best when this was opened: a better one that comes meanwhile must not change the text under somebody's hands.
  const [start] = useState(search.best?.trial_id ?? null);
  const best = useTrial(start).data;
  const [typed, setText] = useState<string | null>(null);
  const begin = Object.entries(best?.configuration ?? best?.defaults ?? {})
    .map(([name, value]) => `${name}: ${typeof value === "boolean" ? (value ? "yes" : "no") : String(value)}`)
    .join("\n");
  const text = typed ?? begin;
  const read = settingsOf(text);
  const tried = useTryByHand(search.id, onClose);
  if (start !== null && !best) return <p className="small soft">Looking at the best …</p>;
  const wrong = typeof read === "string" ? read : tried.error?.message;
  return (
    <section className="sheet col padded near" aria-label="Try by hand">
      <p className="small soft">
        One setting a line. What is left out takes the learner's default. It runs next, counts beside the budget, and
        the strategy learns from it.
      </p>
      <textarea
        aria-label="Configuration to try"
        className="mono sunk inherits written-by-hand"
        rows={Math.min(Math.max(text.split("\n").length, 4), 12)}
        value={text}
        spellCheck={false}
        onChange={(event) => setText(event.target.value)}
      />
      {wrong && (
        <p role="alert" className="ember small">
          {wrong}
        </p>
      )}
      <div className="row last">
        <Button onClick={onClose}>Cancel</Button>
        <Button
          variant="contained"
          disabled={typeof read === "string" || tried.isPending}
          onClick={() => typeof read !== "string" && tried.mutate(read)}
        >
          Try it
        </Button>
      </div>
    </section>
  );
}
