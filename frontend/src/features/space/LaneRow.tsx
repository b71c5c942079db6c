import { useEffect, useRef, type ComponentProps } from "react";
import { useSearchParams } from "react-router";
import type { Matters } from "../../api/evidence";
import { percent, scalar } from "../../lib/format";
import { isChoice, type Parameter } from "../../lib/scale";
import { Lane } from "../../charts/Lane";
import { ShareBar } from "../../charts/ShareBar";

const COSTS: Record<string, string> = { "more costs more": "costs more →", "more costs less": "← costs more" };

interface Props extends ComponentProps<typeof Lane> {
  depth: number; // how many switches it hangs under
  sentence?: string | undefined; // of own code's setting
  matters?: Matters | undefined; // how much the score depends on it, once trials say something
  onText: (line: string) => void;
}

/** A lane with its name, its sentence, which way costs more, and whether it is searched or held. */
export function LaneRow({ onText, depth, sentence, matters, ...lane }: Props) {
  const { parameter, setting, onChange } = lane;
  const held = parameter.kind === "fixed";
  const standard = setting ? scalar(setting.default) : "";
  const asked = useSearchParams()[0].get("setting") === parameter.name; // whoever looked for this setting is led to it
  const row = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (!asked) return;
    row.current?.scrollIntoView({ block: "center" });
    row.current?.focus();
  }, [asked]);
  return (
    <div
      className="apart underlined lane-row"
      data-lane={parameter.name}
      ref={row}
      tabIndex={asked ? -1 : undefined}
      style={{
        paddingLeft: 14 + depth * 18,
        borderLeft: depth > 0 ? "3px solid var(--spruce)" : undefined,
        background: depth > 0 ? "var(--sunk)" : undefined,
      }}
    >
      <div className="col closer">
        <div className="row near">
          <b className="mono lane-name">{parameter.name}</b>
          {setting && COSTS[setting.cost] && <span className="small honey">{COSTS[setting.cost]}</span>}
        </div>
        {matters && (
          <span
            data-matters={parameter.name}
            title={`${percent(matters.total.share)} of the score's differences (${percent(matters.total.low)} to ${percent(matters.total.high)}), with what it does together with others; ${percent(matters.alone.share)} by itself`}
          >
            <ShareBar
              alone={matters.alone.share}
              total={matters.total.share}
              low={matters.total.low}
              high={matters.total.high}
            />
          </span>
        )}
        {parameter.condition && (
          <span className="small mono spruce" data-condition>
            only if {parameter.condition}
          </span>
        )}
        <p className="small soft tight">{setting?.sentence ?? sentence}</p>
        <span className="row small close wrap lines-close">
          {!held && <StartField parameter={parameter} onChange={onChange} />}
          {!held && !isChoice(parameter) && (
            <label className="row closer" title="Fits cost more the larger this is: searches start low.">
              <input
                type="checkbox"
                checked={parameter.costly ?? false}
                onChange={(event) => onChange({ ...parameter, costly: event.target.checked })}
              />
              costly
            </label>
          )}
          {setting &&
            (held ? (
              <button
                className="plain-button spruce"

                onClick={() =>
                  onText(`${parameter.name}: ${isConstant(setting.domain) ? setting.limits : setting.domain}`)
                }
              >
                search it
              </button>
            ) : (
              <button
                className="plain-button spruce"

                onClick={() => onText(`${parameter.name}: ${standard}`)}
              >
                hold at {standard}
              </button>
            ))}
        </span>
      </div>
      {held ? (
        <div className="row">
          <span className="mono sub">{scalar(parameter.value)}</span>
          <span className="small soft">held at this value in every trial</span>
        </div>
      ) : (
        <Lane {...lane} />
      )}
    </div>
  );
}

const isConstant = (domain: string) => !domain.includes("..") && !domain.includes("|");

/** The value that the first trial takes, if any: a small field, or a list for a choice. */
function StartField({ parameter, onChange }: { parameter: Parameter; onChange: (changed: Parameter) => void }) {
  const set = (start: string | number | boolean | undefined) => {
    const changed = { ...parameter };
    if (start === undefined) delete changed.start;
    else changed.start = start;
    onChange(changed);
  };
  const name = `Start of ${parameter.name}`;
  if (isChoice(parameter))
    return (
      <label className="row closer">
        start
        <select
          className="mono small"
          aria-label={name}
          value={parameter.options.findIndex((o) => o.value === parameter.start)}
          onChange={(event) => set(parameter.options[Number(event.target.value)]?.value)}
        >
          <option value={-1}>–</option>
          {parameter.options.map((option, index) => (
            <option key={index} value={index}>
              {scalar(option.value)}
            </option>
          ))}
        </select>
      </label>
    );
  return (
    <label className="row closer">
      start
      <input
        key={String(parameter.start ?? "")}
        className="mono small short-field"
        aria-label={name}
        defaultValue={parameter.start === undefined ? "" : String(parameter.start)}
        placeholder="–"

        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        onBlur={(event) => {
          const text = event.currentTarget.value.trim();
          const value = Number(text);
          if (text === String(parameter.start ?? "")) return;
          if (text === "") set(undefined);
          else if (Number.isFinite(value)) set(value);
        }}
      />
    </label>
  );
}
