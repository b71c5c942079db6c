import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, settled, type Data, type Preview, type Problem, type Refusal } from "../../api/client";
import { previewBrief } from "../../api/hooks";
import { useDebounced } from "../../app/useDebounced";
import { count } from "../../lib/format";
import { SplitBars } from "../../marks/SplitBars";
import { ColumnList } from "./ColumnList";
import { MetricPicker } from "./MetricPicker";
import { requestOf, type BriefForm } from "./briefForm";

interface Props {
  data: Data;
  initial: BriefForm;
  problem: Problem | null; // set when an unfrozen brief is changed in place
  derivedFrom: number | null;
  onOtherFile?: () => void;
}

export function BriefEditor({ data, initial, problem, derivedFrom, onOtherFile }: Props) {
  const [form, setForm] = useState(initial);
  const change = (part: Partial<BriefForm>) => setForm((held) => ({ ...held, ...part }));
  const request = requestOf(useDebounced(form, 200), data);
  const preview = useQuery<Preview, Refusal>({
    queryKey: ["preview", request],
    enabled: request.target !== "",
    queryFn: () => previewBrief(request),
    placeholderData: (held) => held,
    retry: false,
  });
  const save = useSave(problem, derivedFrom);
  const refusal = (save.error as Refusal | null) ?? preview.error;
  const at = (field: string) => (refusal?.field === field ? refusal.message : undefined);
  const known = ["target", "features", "metric", "folds", "holdout", "seed", "positive", "name"];
  const ready = form.target !== "" && preview.isSuccess && !preview.isPlaceholderData;
  return (
    <div
      className="stage"
      style={{
        display: "grid",
        gap: 20,
        gridTemplateColumns: "minmax(0, 1.15fr) minmax(380px, 1fr)",
        alignItems: "start",
      }}
    >
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
        {at("features") && <FieldError text={at("features")!} field="features" />}
        <ColumnList data={data} form={form} change={change} />
      </section>
      <section className="col" style={{ gap: 14, position: "sticky", top: 18 }}>
        {form.target === "" ? (
          <div className="sheet col" style={{ padding: 18 }}>
            <h2>What is to be predicted?</h2>
            <p className="soft">
              Mark one column as the target. The task, a fitting metric and the folds follow from it, and all of them
              can be changed.
            </p>
          </div>
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
            <MetricPicker preview={preview.data} form={form} change={change} error={at("metric") ?? at("positive")} />
            <SplitPlan
              preview={preview.data}
              form={form}
              change={change}
              errors={{ folds: at("folds"), holdout: at("holdout"), seed: at("seed") }}
            />
            {refusal && !known.includes(refusal.field ?? "") && <FieldError text={refusal.message} field="brief" />}
            <div className="row">
              <span className="grow small soft">
                The brief freezes with the first score, so that all trials stay comparable.
              </span>
              <Button
                variant="contained"
                size="medium"
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

function useSave(problem: Problem | null, derivedFrom: number | null) {
  const client = useQueryClient();
  const navigate = useNavigate();
  return useMutation({
    mutationFn: (body: ReturnType<typeof requestOf>) =>
      problem
        ? settled(
            api.PUT("/api/v1/problems/{problem_id}/brief", { params: { path: { problem_id: problem.id } }, body }),
          )
        : settled(
            api.POST("/api/v1/problems", { body, params: { query: derivedFrom ? { derived_from: derivedFrom } : {} } }),
          ),
    onSuccess: (saved) => {
      void client.invalidateQueries({ queryKey: ["problems"] });
      void client.invalidateQueries({ queryKey: ["problem", saved.id] });
      void client.invalidateQueries({ queryKey: ["split", saved.id] });
      void navigate(`/p/${saved.id}/space`);
    },
  });
}

export function FieldError({ text, field }: { text: string; field: string }) {
  return (
    <p role="alert" className="ember small" data-error={field}>
      {text}
    </p>
  );
}

interface SplitProps {
  preview: Preview | undefined;
  form: BriefForm;
  change: (part: Partial<BriefForm>) => void;
  errors: Record<"folds" | "holdout" | "seed", string | undefined>;
}

function SplitPlan({ preview, form, change, errors }: SplitProps) {
  const kind = form.kind || preview?.brief.split || "stratified";
  const kinds = preview?.brief.task === "regression" ? ["shuffled"] : ["stratified", "shuffled"];
  const wrong = errors.folds ?? errors.holdout ?? errors.seed;
  return (
    <div className="sheet col" style={{ padding: 16 }}>
      <h2>Split plan</h2>
      <div className="row" style={{ flexWrap: "wrap" }}>
        <TextField
          label="Folds"
          type="number"
          value={form.folds}
          error={!!errors.folds}
          onChange={(e) => change({ folds: Number(e.target.value) })}
          sx={{ width: 84 }}
        />
        <TextField
          label="Kind"
          select
          slotProps={{ select: { native: true } }}
          value={kind}
          onChange={(e) => change({ kind: e.target.value })}
          sx={{ width: 128 }}
        >
          {kinds.map((k) => (
            <option key={k}>{k}</option>
          ))}
        </TextField>
        <TextField
          label="Holdout %"
          type="number"
          value={Math.round(form.holdout * 1000) / 10}
          error={!!errors.holdout}
          onChange={(e) => change({ holdout: Number(e.target.value) / 100 })}
          sx={{ width: 104 }}
        />
        <TextField
          label="Seed"
          type="number"
          value={form.seed}
          error={!!errors.seed}
          onChange={(e) => change({ seed: Number(e.target.value) })}
          sx={{ width: 92 }}
        />
      </div>
      {wrong && <FieldError text={wrong} field="folds" />}
      {preview && <SplitBars split={preview.split} classes={preview.brief.classes} />}
      {preview && preview.split.unused > 0 && (
        <p className="small soft">{count(preview.split.unused)} rows have no target and are left out.</p>
      )}
      <p className="small soft">The holdout is cut first and stays sealed: no search ever sees it.</p>
    </div>
  );
}
