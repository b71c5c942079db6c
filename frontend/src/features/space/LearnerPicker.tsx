import MenuItem from "@mui/material/MenuItem";
import Select from "@mui/material/Select";
import type { Learner } from "../../api/client";
import { OwnCode } from "../../ui/OwnCode";
import { namesIn, withLearner, withoutLearner } from "./learnerKey";

interface Props {
  learners: Learner[];
  chosen: string; // a key, or several: "logistic | forest *2"
  sentence: string;
  onChoose: (key: string) => void;
}

/** One learner, or several that are searched together: the first by the menu, more by their chips. */
export function LearnerPicker({ learners, chosen, sentence, onChoose }: Props) {
  const named = namesIn(chosen);
  const rest = learners.filter((l) => !named.includes(l.key));
  const label = (key: string) => learners.find((l) => l.key === key)?.label ?? key;
  return (
    <div className="col near">
      <div className="row">
        <Select
          value={named[0]}
          onChange={(e) => onChoose(e.target.value)}
          inputProps={{ "aria-label": "Learner" }}
          sx={{ fontWeight: 600, background: "var(--sheet)" }}
        >
          {learners.map((l) => (
            <MenuItem key={l.key} value={l.key}>
              {l.label}
            </MenuItem>
          ))}
        </Select>
        {named.slice(1).map((key) => (
          <button
            key={key}
            className="plain-button tag strong"
            title="Take it out of the search"
            data-member={key}
            style={{ background: "var(--spruce-tint)" }}
            onClick={() => onChoose(withoutLearner(chosen, key))}
          >
            or {label(key)} ×
          </button>
        ))}
        <select
          className="small spruce"
          aria-label="Search another learner along"
          value=""
          onChange={(event) => onChoose(withLearner(chosen, event.target.value))}
          style={{
            font: "inherit",
            fontSize: 12.5,
            background: "transparent",
            border: "1px dashed var(--rule)",
            borderRadius: 6,
            padding: "3px 6px",
          }}
        >
          <option value="">or another, too …</option>
          {rest.map((l) => (
            <option key={l.key} value={l.key}>
              {l.label}
            </option>
          ))}
        </select>
        <OwnCode kind="learner" onBrought={(own) => onChoose(own.key)} />
      </div>
      <p className="small soft">{sentence}</p>
    </div>
  );
}
