import type { Schemas } from "../../api/client";
import type { Role } from "./briefForm";

type Finding = Schemas["FindingView"];

const GRAVE = new Set(["the target", "gives the target away", "one class"]);
const REMEDIES: Record<string, { role: Role; words: string }> = {
  "the target": { role: "ignore", words: "Ignore it" },
  "gives the target away": { role: "ignore", words: "Ignore it" },
  suspicious: { role: "ignore", words: "Ignore it" },
  "like an id": { role: "ignore", words: "Ignore it" },
  "mostly missing": { role: "ignore", words: "Ignore it" },
  "group over folds": { role: "group", words: "Make it the group" },
  "time shuffled": { role: "time", words: "Make it the time" },
};

interface Props {
  findings: Finding[];
  onRole?: (column: string, role: Role) => void; // absent: to be read only
}

/** The leak check: what would make scores look better than the model is, each with its remedy. */
export function Findings({ findings, onRole }: Props) {
  return (
    <div className="sheet col padded near" data-findings={findings.length}>
      <h2>Leak check</h2>
      {findings.length === 0 && <p className="small soft">Nothing gives the target away, as far as can be seen.</p>}
      {findings.map((f) => {
        const remedy = REMEDIES[f.kind];
        return (
          <div
            key={f.kind + f.column + f.words}
            className="row small on-line"

            data-finding={f.kind}
          >
            <span
              className="still bold finding-mark"
              aria-hidden
              style={{ color: GRAVE.has(f.kind) ? "var(--ember)" : "var(--honey-ink)" }}
            >
              {GRAVE.has(f.kind) ? "!!" : "!"}
            </span>
            <span className="grow">{f.words}</span>
            {onRole && remedy && f.column && (
              <button
                className="plain-button tag still spruce"

                onClick={() => onRole(f.column, remedy.role)}
              >
                {remedy.words}
              </button>
            )}
          </div>
        );
      })}
    </div>
  );
}
