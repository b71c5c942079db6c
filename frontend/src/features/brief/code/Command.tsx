import { piecesOf } from "./codeForm";

const MEANINGS: Record<string, string> = {
  fold: "the fold's number, from 0",
  folds: "how many folds there are",
  seed: "the brief's seed",
  level: "how far to train",
  from: "how far it has come already",
  folder: "the folder of this trial and fold",
  settings: "a JSON file with the settings",
  trial: "the trial's number",
  each: "--name value for every setting",
};

/** A command with its placeholders as chips: settings in one colour, what a fit is in another. */
export function Command({ command }: { command: string }) {
  return (
    <p className="mono sunk command" data-command>
      {piecesOf(command).map(({ text, place }, i) => {
        if (!place) return <span key={i}>{text}</span>;
        const name = text.slice(1, -1).split("?")[0]!.trim();
        const meaning = MEANINGS[name];
        return (
          <span
            key={i}
            className={meaning ? "chip of-fit" : "chip of-setting"}
            title={meaning ?? `the setting ${name}`}
          >
            {text.slice(1, -1)}
          </span>
        );
      })}
    </p>
  );
}
