import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState, type ReactNode } from "react";
import { useNavigate } from "react-router";
import type { Data, Preview, TableProblem } from "../../api/client";
import { usePreview, useSaveBrief } from "../../api/problems";
import { useDebounced } from "../../ui/useDebounced";
import { count } from "../../lib/format";
import { Baselines } from "./Baselines";
import { ClassesOrNumber, isAsked } from "./ClassesOrNumber";
import { ColumnList } from "./ColumnList";
import { FieldError } from "../../ui/FieldError";
import { Findings } from "./Findings";
import { MetricPicker } from "./MetricPicker";
import { TargetPicker } from "./TargetPicker";
import { SplitPlan } from "./SplitPlan";
import { requestOf, withRole, type BriefForm } from "./briefForm";

interface Props {
  data: Data;
  initial: BriefForm;
  problem: TableProblem | null; // set when an unfrozen brief is changed in place
  derivedFrom: number | null;
  onOtherFile?: () => void;
  onForm?: (form: BriefForm) => void; // hears of every change, so that reading the file anew loses nothing
  onSaved?: () => void;
  onType?: (column: string, type: string) => void;
  reading?: ReactNode;
}

export function BriefEditor({
  data,
  initial,
  problem,
  derivedFrom,
  onOtherFile,
  onForm,
  onSaved,
  onType,
  reading,
}: Props) {
  const [form, setForm] = useState(initial);
  const request = requestOf(useDebounced(form, 200), data);
  const preview = usePreview(request);
  const navigate = useNavigate();
  const save = useSaveBrief(problem?.id ?? null, derivedFrom, (saved) => {
    onSaved?.();
    void navigate(`/p/${saved.id}/space`);
  });
  const change = (part: Partial<BriefForm>) => {
    setForm((held) => ({ ...held, ...part }));
    onForm?.({ ...form, ...part });
    if (save.isError) save.reset(); // what was refused is not what stands there now
  };
  const refusal = save.error ?? preview.error;
  const at = (field: string) => (refusal?.field === field ? refusal.message : undefined);
  const known =
    "target features metric recorded folds repeats gap holdout holdout_by seed group time fold positive name".split(
      " ",
    );
  const target = data.columns.find((column) => column.name === form.target);
  const [good, setGood] = useState<{ target: string; preview: Preview } | null>(null);
  if (preview.isSuccess && !preview.isPlaceholderData && good?.preview !== preview.data)
    setGood({ target: request.target, preview: preview.data });
  const seen = good?.target === form.target;
  const shown = preview.data ?? (seen ? good.preview : undefined); // what is refused of a brief takes nothing else away
  // While a later change is looked at the button stays: a press that met it disabled would be lost, and the server looks again.
  const ready = form.target !== "" && seen && !preview.isError;
  return (
    <div className="stage far top brief-bench">
      <section className="col">
        <div className="row">
          <div className="grow">
            <h1 className="cut">{data.name}</h1>
            <p className="small soft">
              {count(data.rows)} rows × {count(data.columns.length)} columns
            </p>
          </div>
          {onOtherFile && <Button onClick={onOtherFile}>Other file</Button>}
        </div>
        {reading}
        {at("features") && <FieldError text={at("features")!} field="features" />}
        <ColumnList data={data} form={form} change={change} onType={onType} />
      </section>
      <section className="col apart">
        {form.target === "" ? (
          <TargetPicker data={data} onTarget={(name) => change(withRole(form, name, "target"))} />
        ) : (
          <>
            <TextField
              label="Name"
              value={form.name}
              placeholder={`${form.target} from ${data.name}`}
              onChange={(e) => change({ name: e.target.value })}
              slotProps={{ inputLabel: { shrink: true } }}
            />
            {at("target") && <FieldError text={at("target")!} field="target" />}
            {onType && isAsked(target) && (
              <ClassesOrNumber
                column={target!}
                onType={(type) => {
                  change({ metric: "", recorded: [], positive: "", kind: "" });
                  onType(target!.name, type);
                }}
              />
            )}
            {problem && <Baselines problem={problem} />}
            <MetricPicker
              preview={shown}
              form={form}
              change={change}
              error={at("metric") ?? at("positive") ?? at("recorded")}
              limitsError={at("limits")}
              againstError={at("against")}
            />
            {shown && (
              <Findings findings={shown.findings} onRole={(column, role) => change(withRole(form, column, role))} />
            )}
            <SplitPlan preview={shown} form={form} change={change} error={at} />
            {refusal && !known.includes(refusal.field ?? "") && <FieldError text={refusal.message} field="brief" />}
            <div className="row">
              <span className="grow small soft">
                The brief freezes with the first score, so that all trials stay comparable.
              </span>
              <Button
                variant="contained"
                size="medium"
                data-primary
                sx={{ whiteSpace: "nowrap", flex: "none" }}
                disabled={!ready || save.isPending}
                onClick={() => save.mutate(requestOf(form, data))}
              >
                {problem ? "Save the brief" : "Frame the problem"}
              </Button>
            </div>
          </>
        )}
      </section>
    </div>
  );
}
