/** The notation in a few lines, folded away until it is wanted. */
export function Notation() {
  const lines: [string, string][] = [
    ["0.01 .. 0.3 log", "a range, both ends in; int, step 0.1, levels 7 follow it"],
    ["linear *2 | tree", "a choice; *2 draws an option twice as often"],
    ["~ normal(0, 0.1)", "a distribution: normal, lognormal, exponential, beta"],
    ["…, start 8, costly", "the first trial's value; fits cost more the larger it is"],
    ["… if kind == tree", "only there does it have a value"],
    ["require a >= 2 * b", "a line of its own: what must hold between parameters"],
  ];
  return (
    <details className="small">
      <summary className="soft clickable">How to write a space</summary>
      <dl className="facts flush below">
        {lines.map(([code, words]) => [
          <dt key={code} className="mono">
            {code}
          </dt>,
          <dd key={words} className="soft flush">
            {words}
          </dd>,
        ])}
      </dl>
    </details>
  );
}
