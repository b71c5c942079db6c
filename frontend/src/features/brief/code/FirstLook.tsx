import Button from "@mui/material/Button";
import type { FirstLook as Look } from "../../../api/code";
import { endsOf } from "../../../charts/plotLayout";
import { Plot } from "../../../charts/Plot";
import { bytes, duration, scalar, score } from "../../../lib/format";

interface Props {
  look: Look;
  metric: string;
  counter: string;
  onGuess: (name: string, pickOut: string) => void;
}

/** One real fit: what was printed, the lines marked from which something was read, and what it came to. */
export function FirstLook({ look, metric, counter, onGuess }: Props) {
  const { guess } = look;
  return (
    <section className="col near" data-first-look={look.problem ? "failed" : "read"}>
      {look.problem ? (
        <p role="alert" className="ember">
          {look.problem}
        </p>
      ) : (
        <p>
          <b className="display large">{score(look.score)}</b> read by {look.how} in {duration(look.seconds)}
          {look.curve.length > 1 && `, the last of ${look.curve.length} points`}
          {Object.entries(look.recorded).map(([name, value]) => (
            <span className="soft" key={name}>
              {" "}
              · {name} {score(value)}
            </span>
          ))}
        </p>
      )}
      {guess && guess.name !== metric && (look.problem || look.how === "the last number") && (
        <p className="row small">
          <span className="grow">
            It seems to print <b>{guess.name}</b>
            {guess.pick_out && ", which a pattern can pick out"}.
          </span>
          <Button size="small" variant="outlined" onClick={() => onGuess(guess.name, guess.pick_out)}>
            Judge by {guess.name}
          </Button>
        </p>
      )}
      <p className="small soft">
        At{" "}
        {Object.entries(look.configuration)
          .map(([name, value]) => `${name} ${scalar(value)}`)
          .join(", ") || "no settings"}
        , level {look.level}, fold 1.
      </p>
      {look.curve.length > 1 && <LookCurve curve={look.curve} metric={metric} counter={counter} />}
      <ol className="mono sunk scrolls printed flush unmarked" aria-label="What it printed">
        {look.left_out > 0 && <li className="soft">… {look.left_out} lines are left out in the middle</li>}
        {look.lines.map((line, i) => (
          <li
            key={i}
            className={line.read ? "read" : line.aside ? "soft" : undefined}
            data-read={line.read ? "yes" : "no"}
          >
            <span className="mark">{line.read ? score(line.read.score) : ""}</span>
            {line.text}
          </li>
        ))}
        {look.lines.length === 0 && <li className="soft">It printed nothing.</li>}
      </ol>
      {look.files.length > 0 && (
        <p className="small" data-left>
          <span className="soft">It left </span>
          {look.files.map((file, i) => (
            <span key={file.name}>
              {i > 0 && ", "}
              <code>{file.name}</code> <span className="soft">{bytes(file.bytes)}</span>
              {file.kept && <span className="tag">kept</span>}
            </span>
          ))}
        </p>
      )}
    </section>
  );
}

/** The scores that were read along what grows. */
function LookCurve({ curve, metric, counter }: { curve: number[][]; metric: string; counter: string }) {
  const points = curve.map(([level, value]) => ({ level: level!, value: value! }));
  const x = endsOf(points.map((p) => p.level));
  const y = endsOf(points.map((p) => p.value));
  return (
    <Plot
      width={420}
      height={150}
      across={counter}
      up={metric}
      x={x}
      y={y}
      label={`${metric} along ${counter}: ${points.map((p) => `${p.level}: ${score(p.value)}`).join(", ")}`}
    >
      {(scales) => (
        <g data-curve-points={points.length}>
          <path
            d={points.map((p, i) => `${i ? "L" : "M"}${scales.x(p.level)} ${scales.y(p.value)}`).join("")}
            fill="none"
            stroke="var(--spruce)"
            strokeWidth={2}
          />
          {points.length <= 60 &&
            points.map((p) => (
              <circle key={p.level} cx={scales.x(p.level)} cy={scales.y(p.value)} r={2.6} fill="var(--spruce)" />
            ))}
        </g>
      )}
    </Plot>
  );
}
