import type { ComponentProps } from "react";
import { scalar } from "../../lib/format";
import { Lane } from "../../marks/Lane";

const COSTS: Record<string, string> = { "more costs more": "costs more →", "more costs less": "← costs more" };

interface Props extends ComponentProps<typeof Lane> {
  onText: (line: string) => void;
}

/** A lane with its name, its sentence, which way costs more, and whether it is searched or held. */
export function LaneRow({ onText, ...lane }: Props) {
  const { parameter, setting } = lane;
  const held = parameter.kind === "fixed";
  const standard = setting ? scalar(setting.default) : "";
  return (
    <div
      data-lane={parameter.name}
      style={{
        display: "grid",
        gridTemplateColumns: "210px minmax(0, 1fr)",
        gap: 14,
        padding: "8px 14px",
        borderBottom: "1px solid var(--rule)",
      }}
    >
      <div className="col" style={{ gap: 2 }}>
        <div className="row" style={{ gap: 8 }}>
          <b className="mono" style={{ fontSize: 13.5 }}>
            {parameter.name}
          </b>
          {setting && COSTS[setting.cost] && <span className="small honey">{COSTS[setting.cost]}</span>}
        </div>
        <p className="small soft" style={{ lineHeight: 1.35 }}>
          {setting?.sentence}
        </p>
        {setting && (
          <span className="small">
            {held ? (
              <button
                className="plain-button"
                style={{ color: "var(--spruce)" }}
                onClick={() =>
                  onText(`${parameter.name}: ${isConstant(setting.domain) ? setting.limits : setting.domain}`)
                }
              >
                search it
              </button>
            ) : (
              <button
                className="plain-button"
                style={{ color: "var(--spruce)" }}
                onClick={() => onText(`${parameter.name}: ${standard}`)}
              >
                hold at {standard}
              </button>
            )}
          </span>
        )}
      </div>
      {held ? (
        <div className="row">
          <span className="mono" style={{ fontSize: 15 }}>
            {scalar(parameter.value)}
          </span>
          <span className="small soft">held at this value in every trial</span>
        </div>
      ) : (
        <Lane {...lane} />
      )}
    </div>
  );
}

const isConstant = (domain: string) => !domain.includes("..") && !domain.includes("|");
