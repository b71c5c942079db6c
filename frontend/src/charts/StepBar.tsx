import type { Step } from "../api/evidence";
import { endsOf, place, type Ends } from "./plotLayout";

export interface Stair {
  ends: Ends;
  before: number[]; // the model's score before each step
}

/** Where the steps of a path lie: each begins where the one before ended. */
export function stairLayout(steps: Step[], larger: boolean): Stair & { at: (step: Step) => [number, number] } {
  const sign = larger ? 1 : -1;
  const before = steps.map((step) => step.score - sign * step.gain);
  const known = steps.flatMap((step, i) => [
    before[i]!,
    step.score,
    ...(step.measured === null ? [] : [step.measured]),
  ]);
  return {
    ends: endsOf(known, 0.06),
    before,
    at: (step) => [step.score - sign * step.gain, step.score],
  };
}

const WIDTH = 150;
const HEIGHT = 20;

/** One step of a stair: from the score before to the score after, its error as a line, what was measured as a filled dot. */
export function StepBar({ step, scale }: { step: Step; scale: ReturnType<typeof stairLayout> }) {
  const [from, to] = scale.at(step);
  const x = (value: number) => place(value, scale.ends, 4, WIDTH - 4);
  const worse = step.gain < 0;
  return (
    <svg className="block" width={WIDTH} height={HEIGHT} aria-hidden>
      <rect
        x={Math.min(x(from), x(to))}
        y={5}
        width={Math.max(Math.abs(x(to) - x(from)), 1.5)}
        height={10}
        fill={worse ? "var(--ember)" : "var(--spruce)"}
        opacity={0.4}
      />
      <line x1={x(to)} x2={x(to)} y1={3} y2={17} stroke={worse ? "var(--ember)" : "var(--spruce)"} strokeWidth={2} />
      <line x1={x(to - step.error)} x2={x(to + step.error)} y1={10} y2={10} stroke="var(--ink)" strokeWidth={1.2} />
      {step.measured !== null && (
        <circle cx={x(step.measured)} cy={10} r={4} fill="var(--honey)" stroke="var(--sheet)" strokeWidth={1} />
      )}
    </svg>
  );
}
