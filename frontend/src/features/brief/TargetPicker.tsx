import type { Column, Data } from "../../api/client";
import { count } from "../../lib/format";
import { Histogram } from "../../charts/Histogram";

const LIKELY = 8;
const FEW = 20; // values of a class label

/** What is to be predicted, in one step: the columns that are most often asked for, and all others by name. */
export function TargetPicker({ data, onTarget }: { data: Data; onTarget: (name: string) => void }) {
  const usable = data.columns.filter((c) => c.type !== "text");
  const likely = likelyTargets(usable);
  const others = usable.filter((c) => !likely.includes(c)).sort((a, b) => a.name.localeCompare(b.name));
  return (
    <div className="sheet col roomy" data-target-picker>
      <h2>What is to be predicted?</h2>
      <p className="soft">
        Choose the target. The task, a fitting metric and the folds follow from it, and all of them can be changed.
      </p>
      <ul className="unmarked flush candidates">
        {likely.map((column, index) => (
          <li key={column.name}>
            <button
              className="plain-button row full candidate"
              data-candidate={column.name}
              autoFocus={index === 0} // the question of this screen; arrows and Tab go on from here
              onClick={() => onTarget(column.name)}
            >
              <span className="cut strong grow" title={column.name}>
                {column.name}
              </span>
              <span className="small soft one-line">
                {column.type}
                {column.type !== "number" && `, ${count(column.distinct)} values`}
              </span>
              <Histogram column={{ ...column, role: "feature" }} />
            </button>
          </li>
        ))}
      </ul>
      {others.length > 0 && (
        <label className="row small">
          or
          <select aria-label="Another target" value="" onChange={(event) => onTarget(event.target.value)}>
            <option value="" disabled>
              one of the other {others.length} columns
            </option>
            {others.map((c) => (
              <option key={c.name} value={c.name}>
                {c.name} ({c.type})
              </option>
            ))}
          </select>
        </label>
      )}
    </div>
  );
}

/** Labels before numbers, of each the last columns first: a target mostly stands at the end of its file. */
export function likelyTargets(columns: Column[]): Column[] {
  const rank = (c: Column) =>
    c.role === "ignore" || c.distinct < 2
      ? 3
      : c.type === "yes/no" || c.distinct === 2
        ? 0
        : c.type === "category" && c.distinct <= FEW
          ? 1
          : 2;
  return columns
    .map((column, place) => ({ column, place, rank: rank(column) }))
    .filter((one) => one.rank < 3)
    .sort((a, b) => a.rank - b.rank || b.place - a.place)
    .slice(0, LIKELY)
    .map((one) => one.column);
}
