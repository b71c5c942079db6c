import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Schemas } from "../../api/client";

interface Props {
  rules: Schemas["RuleView"][];
  population: boolean;
  value: string;
  settings: Record<string, number | string>;
  resolved: Record<string, unknown>; // what the forecast says is meant where a setting is left open
  wrong: string | null;
  onRule: (key: string) => void;
  onSettings: (settings: Record<string, number | string>) => void;
}

const INTERVAL = {
  name: "interval",
  default: 0,
  sentence: "Iterations that members train between copies; 0 leaves it open.",
};
const MOST = { name: "most", default: 0, sentence: "Iterations of a whole trial; 0 takes the learner's own." };

/** Which rule ends weak trials, and behind a button its settings: what is left alone stays as it is by default. */
export function EarlyStopping({ rules, population, value, settings, resolved, wrong, onRule, onSettings }: Props) {
  const [open, setOpen] = useState(false);
  const rule = rules.find((r) => r.key === value);
  const own = population
    ? [INTERVAL, MOST]
    : [...(rule?.settings ?? []), ...(rule?.resources.includes("iterations") ? [MOST] : [])];
  const set = (name: string, typed: string, number: boolean) => {
    const rest = Object.fromEntries(Object.entries(settings).filter(([key]) => key !== name));
    onSettings(typed === "" ? rest : { ...rest, [name]: number ? Number(typed) : typed });
  };
  return (
    <>
      <TextField
        label="Early stopping"
        select
        disabled={population}
        slotProps={{ select: { native: true }, inputLabel: { shrink: true } }}
        value={population ? "none" : value}
        error={wrong === "plan.early stopping"}
        onChange={(e) => onRule(e.target.value)}
        sx={{ width: 192 }}
      >
        {rules.map((r) => (
          <option key={r.key} value={r.key}>
            {r.label}
          </option>
        ))}
      </TextField>
      {(own.length > 0 || (rule?.resources.length ?? 0) > 1) && (value !== "none" || population) && (
        <button
          className="plain-button small"
          aria-expanded={open}
          onClick={() => setOpen(!open)}
          style={{ color: "var(--spruce)" }}
        >
          {open ? "fewer settings" : "settings"}
        </button>
      )}
      {open && (value !== "none" || population) && (
        <span
          className="row"
          role="group"
          aria-label="Settings of early stopping"
          style={{ gap: 10, flexBasis: "100%", order: 9 }}
        >
          {!population && rule && rule.resources.length > 1 && (
            <TextField
              label="What grows"
              select
              slotProps={{ select: { native: true }, inputLabel: { shrink: true } }}
              value={settings.resource ?? ""}
              error={wrong === "plan.stopping.resource"}
              onChange={(e) => set("resource", e.target.value, false)}
              sx={{ width: 128, flex: "none" }}
            >
              <option value="">as it suits</option>
              {rule.resources.map((r) => (
                <option key={r} value={r}>
                  {r}
                </option>
              ))}
            </TextField>
          )}
          {own.map((setting) => (
            <TextField
              key={setting.name}
              label={setting.name}
              type="number"
              title={setting.sentence}
              placeholder={String(resolved[setting.name] ?? (setting.default === 0 ? "open" : setting.default))}
              value={settings[setting.name] ?? ""}
              error={wrong === `plan.stopping.${setting.name}`}
              onChange={(e) => set(setting.name, e.target.value, true)}
              slotProps={{ inputLabel: { shrink: true }, htmlInput: { step: "any" } }}
              sx={{ width: 80, flex: "none" }}
            />
          ))}
          <span className="small soft grow">{own.map((s) => `${s.name}: ${s.sentence}`).join(" ")}</span>
        </span>
      )}
    </>
  );
}
