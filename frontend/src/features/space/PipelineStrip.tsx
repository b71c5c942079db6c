import type { Learner } from "../../api/client";
import { scalar } from "../../lib/format";
import type { Parameter } from "../../lib/scale";

const STEPS = ["fill", "mark", "encode", "scale", "reduce", "keep"];
const TITLES: Record<string, string> = {
  fill: "fill gaps",
  mark: "mark gaps",
  encode: "categories",
  scale: "scale",
  reduce: "reduce",
  keep: "keep",
};

interface Props {
  learner: Learner;
  parameters: Parameter[] | null;
  onSearch: (line: string) => void;
}

/** What is done to the columns inside every fold, step by step, before the learner sees them. A click searches a step. */
export function PipelineStrip({ learner, parameters, onSearch }: Props) {
  const settings = learner.settings.filter((s) => s.part === "preparation");
  const searched = (name: string) => parameters?.find((p) => p.name === name);
  return (
    <div className="row small wrap closer lines-close" aria-label="Preparation" data-pipeline>
      <span className="soft">Inside each fold:</span>
      {STEPS.map((step, i) => {
        const own = settings.filter((s) => s.name === step || s.name.endsWith(`_${step}`));
        if (own.length === 0) return null;
        const one = own[0]!;
        const found = own.map((s) => searched(s.name)).filter((p) => p !== undefined);
        const values = [...new Set(own.map((s) => scalar(s.default)))];
        const open = found.length < own.length;
        return (
          <span key={step} className="row closer">
            {i > 0 && <span className="soft">→</span>}
            <button
              className="plain-button tag step"
              data-step={step}
              title={`${one.sentence}${open ? " Click to search it." : ""}`}
              disabled={!open}
              style={{ background: found.length ? "var(--honey-tint)" : undefined }}
              onClick={() =>
                onSearch(
                  own
                    .filter((s) => !searched(s.name))
                    .map((s) => s.line)
                    .join("\n"),
                )
              }
            >
              {TITLES[step]} <b>{found.length ? "searched" : values.length > 1 ? "as each learner" : values[0]}</b>
            </button>
          </span>
        );
      })}
      <span className="soft">→ learner</span>
    </div>
  );
}
