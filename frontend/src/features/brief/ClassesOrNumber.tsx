import type { Column } from "../../api/client";
import { plural } from "../../lib/format";

const FEW = 20; // whole numbers up to which they may as well be names of classes

/** Whether one would have to ask: a handful of whole numbers can be classes or amounts, and only a person knows which. */
export const isAsked = (column: Column | undefined): boolean =>
  column !== undefined && column.distinct > 2 && column.distinct <= FEW && ofWholeNumbers(column);

const ofWholeNumbers = (column: Column): boolean =>
  column.type === "number"
    ? column.whole
    : column.type === "category" && column.examples.every((text) => text === "" || /^[+-]?\d{1,9}$/.test(text));

interface Props {
  column: Column;
  onType: (type: string) => void;
}

/** The question in plain sight, with what follows from each answer. */
export function ClassesOrNumber({ column, onType }: Props) {
  const classes = column.type === "category";
  return (
    <fieldset className="sheet col padded near bare" data-asks={column.name}>
      <legend className="strong">Classes, or a number?</legend>
      <p className="small soft">
        {column.name} has {plural(column.distinct, "different whole number")}. Are they names of classes, or an amount
        that may lie in between?
      </p>
      {[
        {
          type: "number",
          words: "A number",
          follows: "4 is closer to 5 than to 9: a regression, judged by its errors.",
        },
        { type: "category", words: "Classes", follows: "Each number is a kind of its own: a classification." },
      ].map(({ type, words, follows }) => (
        <label key={type} className="row small near">
          <input
            type="radio"
            name="classes or a number"
            checked={classes === (type === "category")}
            onChange={() => onType(type)}
          />
          <b>{words}</b> <span className="soft">{follows}</span>
        </label>
      ))}
    </fieldset>
  );
}
