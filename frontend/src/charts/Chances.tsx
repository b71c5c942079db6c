import { percent } from "../lib/format";

interface Props {
  better: number;
  same: number;
  worse: number;
  width?: number;
}

/** Better, same, worse than the leader, as one bar of three parts; the parts are told apart by hatching too. */
export function Chances({ better, same, worse, width = 124 }: Props) {
  const parts = [
    { share: worse, fill: "var(--ember)", name: "worse" },
    { share: same, fill: "var(--rule)", name: "same" },
    { share: better, fill: "var(--spruce)", name: "better" },
  ];
  let at = 0;
  return (
    <svg
      className="block"
      width={width}
      height={11}
      role="img"
      aria-label={`better ${percent(better)}, same ${percent(same)}, worse ${percent(worse)}`}
    >
      {parts.map(({ share, fill, name }) => {
        const x = at;
        at += share * width;
        return (
          <g key={name}>
            <rect x={x} y={0} width={Math.max(share * width - 0.5, 0)} height={11} fill={fill} />
            {name === "worse" &&
              Array.from({ length: Math.floor((share * width) / 6) }, (_, i) => (
                <path key={i} d={`M${x + 6 * i + 2} 11l4 -11`} stroke="var(--sheet)" strokeOpacity={0.55} />
              ))}
          </g>
        );
      })}
    </svg>
  );
}
