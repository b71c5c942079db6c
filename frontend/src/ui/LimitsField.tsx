import type { Problem } from "../api/client";
import { completions } from "../lib/limits";
import { OfferedField } from "./OfferedField";

interface Props {
  value: string;
  quantities: Problem["judging"]["quantities"];
  wrong?: boolean;
  width?: number | string;
  onChange: (text: string) => void;
}

/** What the chosen configuration has to keep, as it is written; what may be limited is offered while one types. */
export const LimitsField = ({ value, quantities, wrong = false, width = 224, onChange }: Props) => (
  <OfferedField
    label="Limits"
    placeholder="such as predict ms <= 5"
    title={`What a trial has to keep to count as the best; the search looks for what does. Measured: ${quantities.map((one) => one.measure).join(", ")}.`}
    offered={completions(quantities, value)}
    mark={{ "data-limits": true }}
    {...{ value, wrong, width, onChange }}
  />
);
