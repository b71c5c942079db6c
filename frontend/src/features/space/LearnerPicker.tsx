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
            className="plain-button tag strong of-fit"
            title="Take it out of the search"
            data-member={key}

            onClick={() => onChoose(withoutLearner(chosen, key))}
          >
            or {label(key)} ×
          </button>
        ))}
        <select
          className="small spruce learner-added"
          aria-label="Search another learner along"
          value=""
          onChange={(event) => onChoose(withLearner(chosen, event.target.value))}
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
