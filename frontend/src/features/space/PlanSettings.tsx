import TextField from "@mui/material/TextField";
import { NumberField } from "../../ui/NumberField";
import { useState } from "react";
import type { Schemas } from "../../api/client";

type Values = Record<string, number | string>;
type Resolved = Record<string, number | string | boolean | null>; // what the forecast says is meant where a setting is left open
type Setting = Schemas["RuleSetting"];

interface Props {
  strategy: Setting[];
  rule: Schemas["RuleView"] | undefined;
  trains: boolean; // the strategy itself decides how long trials train
  values: { strategy: Values; stopping: Values };
  resolved: { strategy: Resolved; stopping: Resolved };
  wrong: string | null;
  onStrategy: (values: Values) => void;
  onStopping: (values: Values) => void;
}

const MOST = { name: "most", default: 0, sentence: "Iterations of a whole trial; 0 takes the learner's own." };

/** Behind a button, the settings of the strategy and of early stopping: what is left alone stays as it is by default. */
export function PlanSettings({ strategy, rule, trains, values, resolved, wrong, onStrategy, onStopping }: Props) {
  const [open, setOpen] = useState(false);
  const iterates = trains || (rule?.resources.includes("iterations") ?? false);
  const stopping = [...(rule?.settings ?? []), ...(iterates ? [MOST] : [])];
  const resources = rule?.resources ?? [];
  if (strategy.length + stopping.length === 0 && resources.length < 2) return null;
  const fields = (settings: Setting[], group: "strategy" | "stopping", put: (values: Values) => void) =>
    settings.map((setting) => (
      <span key={`${group} ${setting.name}`} title={setting.sentence}>
        <NumberField
          label={setting.name}
          hint={String(resolved[group][setting.name] ?? (setting.default === 0 ? "open" : setting.default))}
          value={(values[group][setting.name] as number | undefined) ?? ""}
          rule={{ empty: true }}
          wrong={wrong === `plan.${group === "strategy" ? "strategy settings" : group}.${setting.name}`}
          width={80}
          onValue={(value) => put(changed(values[group], setting.name, value))}
        />
      </span>
    ));
  return (
    <>
      <button className="plain-button small spruce" aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? "fewer settings" : "settings"}
      </button>
      {open && (
        <span className="row own-line" role="group" aria-label="Settings of the plan">
          {fields(strategy, "strategy", onStrategy)}
          {resources.length > 1 && (
            <TextField
              label="What grows"
              select
              slotProps={{ select: { native: true }, inputLabel: { shrink: true } }}
              value={values.stopping.resource ?? ""}
              error={wrong === "plan.stopping.resource"}
              onChange={(e) => onStopping(changed(values.stopping, "resource", e.target.value))}
              sx={{ width: 128, flex: "none" }}
            >
              <option value="">as it suits</option>
              {resources.map((r) => (
                <option key={r} value={r}>
                  {r}
                </option>
              ))}
            </TextField>
          )}
          {fields(stopping, "stopping", onStopping)}
          <span className="small soft grow">
            {[...strategy, ...stopping].map((s) => `${s.name}: ${s.sentence}`).join(" ")}
          </span>
        </span>
      )}
    </>
  );
}

function changed(values: Values, name: string, value: number | string): Values {
  const rest = Object.fromEntries(Object.entries(values).filter(([key]) => key !== name));
  return value === "" ? rest : { ...rest, [name]: value };
}
