import TextField from "@mui/material/TextField";
import type { Preview } from "../../api/client";
import { useCatalogue } from "../../api/workspace";
import { FieldError } from "../../ui/FieldError";
import { AgainstField } from "../../ui/AgainstField";
import { LimitsField } from "../../ui/LimitsField";
import { OwnCode } from "../../ui/OwnCode";
import type { BriefForm } from "./briefForm";

interface Props {
  preview: Preview | undefined;
  form: BriefForm;
  change: (part: Partial<BriefForm>) => void;
  error: string | undefined;
  limitsError: string | undefined;
  againstError: string | undefined;
}

const TASKS: Record<string, string> = { binary: "two classes", multiclass: "several classes", regression: "a number" };

/** The metric that decides: those that suit the target come first, each with one plain sentence. */
export function MetricPicker({ preview, form, change, error, limitsError, againstError }: Props) {
  const metrics = useCatalogue().data?.metrics ?? [];
  const suited = preview?.suited_metrics ?? [];
  const chosen = metrics.find((m) => m.key === (form.metric || preview?.brief.metric));
  const others = metrics.filter((m) => !suited.includes(m.key));
  return (
    <div className="sheet col padded">
      <div className="row">
        <h2 className="grow">Metric that decides</h2>
        {preview && (
          <span className="small soft">
            predicts {TASKS[preview.brief.task]}
            {preview.brief.task !== "regression" && `: ${preview.brief.classes.slice(0, 4).join(", ")}`}
          </span>
        )}
      </div>
      <div className="row">
        <TextField
          select
          slotProps={{ select: { native: true }, htmlInput: { "aria-label": "Metric" } }}
          value={chosen?.key ?? ""}
          error={!!error}
          onChange={(e) => change({ metric: e.target.value })}
          sx={{ minWidth: 220 }}
        >
          <optgroup label="Suit this target">
            {suited.map((key) => (
              <option key={key} value={key}>
                {metrics.find((m) => m.key === key)?.label ?? key}
              </option>
            ))}
          </optgroup>
          <optgroup label="For other targets">
            {others.map((m) => (
              <option key={m.key} value={m.key} disabled>
                {m.label}
              </option>
            ))}
          </optgroup>
        </TextField>
        {preview?.brief.task === "binary" && (
          <TextField
            label="Positive class"
            select
            slotProps={{ select: { native: true } }}
            value={form.positive || preview.brief.classes[1]}
            onChange={(e) => change({ positive: e.target.value })}
            sx={{ minWidth: 110 }}
          >
            {[...preview.brief.classes].sort().map((name) => (
              <option key={name}>{name}</option>
            ))}
          </TextField>
        )}
      </div>
      {error && <FieldError text={error} field="metric" />}
      {chosen && (
        <p className="small soft">
          {chosen.larger_is_better ? "Larger is better." : "Smaller is better."} {chosen.sentence}
        </p>
      )}
      {preview && (
        <div className="row wrap close" role="group" aria-label="Recorded beside it">
          <span className="small soft">Recorded beside it:</span>
          {suited
            .filter((key) => key !== chosen?.key)
            .map((key) => {
              const on = form.recorded.includes(key);
              return (
                <button
                  key={key}
                  className="plain-button tag"
                  aria-pressed={on}
                  data-recorded={key}
                  title={metrics.find((m) => m.key === key)?.sentence}
                  style={{ background: on ? "var(--spruce-tint)" : undefined, fontWeight: on ? 650 : 400 }}
                  onClick={() =>
                    change({ recorded: on ? form.recorded.filter((k) => k !== key) : [...form.recorded, key] })
                  }
                >
                  {key}
                </button>
              );
            })}
        </div>
      )}
      <LimitsField
        value={form.limits}
        quantities={preview?.quantities ?? []}
        wrong={!!limitsError}
        width="100%"
        onChange={(limits) => change({ limits })}
      />
      {limitsError && <FieldError text={limitsError} field="limits" />}
      <AgainstField
        value={form.against}
        offered={[...new Set([...(preview?.quantities ?? []).map((one) => one.measure), ...suited])].filter(
          (name) => name !== chosen?.key,
        )}
        metric={chosen?.key ?? ""}
        wrong={!!againstError}
        width="100%"
        onChange={(against) => change({ against })}
      />
      {againstError && <FieldError text={againstError} field="against" />}
      <OwnCode kind="metric" onBrought={(own) => change({ metric: own.key })} />
    </div>
  );
}
