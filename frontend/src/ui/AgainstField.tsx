import { goingOn } from "../lib/limits";
import { OfferedField } from "./OfferedField";

interface Props {
  value: string;
  offered: string[];
  metric: string;
  wrong?: boolean;
  width?: number | string;
  onChange: (text: string) => void;
}

/** What the score is weighed against, as it is written; what is measured is offered while one types. */
export const AgainstField = ({ value, offered, metric, wrong = false, width = 172, onChange }: Props) => (
  <OfferedField
    label="Weighed against"
    placeholder="nothing"
    title={`What ${metric || "the score"} is weighed against, up to two metrics: the search looks for the front, where none is better in all of them. Measured: ${offered.join(", ")}.`}
    offered={goingOn(offered, value)}
    mark={{ "data-against": true }}
    {...{ value, wrong, width, onChange }}
  />
);
