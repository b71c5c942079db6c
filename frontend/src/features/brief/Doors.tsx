import { Switch } from "../../ui/Switch";

export const DOORS = ["data file", "program", "function", "outside loop"] as const;
export type Door = (typeof DOORS)[number];

const SENTENCES: Record<Door, string> = {
  "data file": "A table, and learners of our catalogue or a class of yours.",
  program: "Your own training program, in any language: a command that prints a score.",
  function: "A Python function of yours that returns a score, or yields one an epoch.",
  "outside loop": "A loop of yours that takes fits over HTTP: a robot, a cluster, another language.",
};

/** What a new problem is about. */
export function Doors({ door, onDoor }: { door: Door; onDoor: (door: Door) => void }) {
  return (
    <div className="col near">
      <div className="row wrap">
        <h1 className="grow">New problem</h1>
        <Switch label="What is tuned" options={[...DOORS]} value={door} onChange={onDoor} />
      </div>
      <p className="soft">{SENTENCES[door]}</p>
    </div>
  );
}
