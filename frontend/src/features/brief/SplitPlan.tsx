import TextField from "@mui/material/TextField";
import type { Preview } from "../../api/client";
import { count } from "../../lib/format";
import { SplitBars } from "../../charts/SplitBars";
import type { AmountRule } from "../../lib/amount";
import { NumberField } from "../../ui/NumberField";
import { FieldError } from "../../ui/FieldError";
import { kindsFor, type BriefForm } from "./briefForm";

const FIELDS = ["folds", "repeats", "gap", "holdout", "holdout_by", "seed", "group", "time", "fold"] as const;
const WORDS: Record<string, string> = {
  stratified: "Each fold has the classes in the same proportion.",
  shuffled: "Rows are dealt out at random.",
  grouped: "All rows of a group lie in one fold: scores are for groups that were never seen.",
  "stratified grouped": "Groups stay together, and classes are kept in proportion as far as that goes.",
  ordered: "Each fold is tested after everything it learnt from: scores are for the future.",
  column: "The folds are those that the data say; rows that say nothing are only learnt from.",
};

interface Props {
  preview: Preview | undefined;
  form: BriefForm;
  change: (part: Partial<BriefForm>) => void;
  error: (field: string) => string | undefined;
}

/** How rows become folds and holdout, chosen and drawn. */
export function SplitPlan({ preview, form, change, error }: Props) {
  const task = preview?.brief.task ?? "binary";
  const kind = form.kind || preview?.brief.split || "stratified";
  const wrong = FIELDS.map(error).find(Boolean);
  const number = (
    label: string,
    value: number,
    put: (value: number) => void,
    field: string,
    width: number,
    rule: AmountRule,
  ) => (
    <NumberField
      label={label}
      value={value}
      rule={rule}
      wrong={!!error(field)}
      width={width}
      onValue={(typed) => put(Number(typed))}
    />
  );
  return (
    <div className="sheet col padded">
      <h2>Split plan</h2>
      <div className="row wrap lines-apart">
        {kind !== "column" &&
          number("Folds", form.folds, (folds) => change({ folds }), "folds", 74, { whole: true, least: 2 })}
        <TextField
          label="Kind"
          select
          slotProps={{ select: { native: true } }}
          value={kind}
          onChange={(e) => change({ kind: e.target.value })}
          sx={{ width: 154 }}
        >
          {kindsFor(task, form.roles).map((k) => (
            <option key={k} value={k}>
              {k === "column" ? "own column" : k === "ordered" ? "ordered in time" : k}
            </option>
          ))}
        </TextField>
        {kind === "ordered"
          ? number("Gap, days", form.gap, (gap) => change({ gap }), "gap", 92, { least: 0 })
          : kind !== "column" &&
            number("Repeats", form.repeats, (repeats) => change({ repeats }), "repeats", 82, { whole: true, least: 1 })}
        {number(
          "Holdout %",
          Math.round(form.holdout * 1000) / 10,
          (share) => change({ holdout: share / 100 }),
          "holdout",
          92,
          { least: 0, most: 100 },
        )}
        <TextField
          label="Holdout by"
          select
          slotProps={{ select: { native: true }, inputLabel: { shrink: true } }}
          value={form.holdoutBy}
          onChange={(e) => change({ holdoutBy: e.target.value })}
          sx={{ width: 132 }}
        >
          <option value="">as the folds</option>
          <option value="random">random</option>
          {task !== "regression" && <option value="stratified">stratified</option>}
          {form.roles.group && <option value="group">group</option>}
          {form.roles.time && <option value="time">last in time</option>}
        </TextField>
        {number("Seed", form.seed, (seed) => change({ seed }), "seed", 80, { whole: true, least: 0 })}
      </div>
      {wrong && <FieldError text={wrong} field="folds" />}
      <p className="small soft">{WORDS[kind]}</p>
      {preview && <SplitBars split={preview.split} classes={preview.brief.classes} />}
      {preview && preview.split.stripe_by === "time" && (
        <p className="small soft">Rows in order of time: light is learnt from, dark is tested.</p>
      )}
      {preview && preview.split.unused > 0 && (
        <p className="small soft">
          {count(preview.split.unused)} rows are left out: they lack the target, their group or their time.
        </p>
      )}
      <p className="small soft">The holdout is cut first and stays sealed: no search ever sees it.</p>
    </div>
  );
}
