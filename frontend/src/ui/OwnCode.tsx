import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { useBringOwnCode } from "../api/workspace";

type Own = Schemas["OwnCodeView"];

interface Props {
  kind: "learner" | "metric";
  onBrought: (own: Own) => void;
}

/** Brings a class or a function of one's own; a broken one is refused with its traceback, before any trial. */
export function OwnCode({ kind, onBrought }: Props) {
  const [open, setOpen] = useState(false);
  const [where, setWhere] = useState("");
  const [larger, setLarger] = useState(true);
  const [needs, setNeeds] = useState<Schemas["OwnCodeRequest"]["needs"]>("labels");
  const bring = useBringOwnCode((own) => {
    setOpen(false);
    onBrought(own);
  });
  if (!open)
    return (
      <>
        <button
          className="plain-button small spruce"
          style={{ alignSelf: kind === "metric" ? "flex-start" : "center" }}
          data-own={kind}
          onClick={() => setOpen(true)}
        >
          {kind === "metric" ? "A metric of your own …" : "A class of your own …"}
        </button>
        {bring.data?.warning && (
          <p role="status" className="small ember" data-own-warning>
            {bring.data.warning}
          </p>
        )}
      </>
    );
  return (
    <form
      className="col near"
      data-own-form={kind}
      onSubmit={(event) => {
        event.preventDefault();
        bring.mutate({ kind, where, "larger is better": larger, needs: needs ?? "labels", sentence: "" });
      }}
    >
      <div className="row wrap">
        <TextField
          label="Where it is"
          placeholder={kind === "metric" ? "costs.py:late_cost" : "models.py:Thermostat"}
          value={where}
          onChange={(e) => setWhere(e.target.value)}
          error={bring.isError}
          slotProps={{ inputLabel: { shrink: true } }}
          sx={{ width: 220 }}
        />
        {kind === "metric" && (
          <>
            <TextField
              label="Better is"
              select
              slotProps={{ select: { native: true } }}
              value={larger ? "larger" : "smaller"}
              onChange={(e) => setLarger(e.target.value === "larger")}
            >
              <option value="larger">larger</option>
              <option value="smaller">smaller</option>
            </TextField>
            <TextField
              label="Needs"
              select
              slotProps={{ select: { native: true } }}
              value={needs}
              onChange={(e) => setNeeds(e.target.value as typeof needs)}
            >
              <option value="labels">labels</option>
              <option value="probabilities">probabilities</option>
              <option value="values">numbers</option>
            </TextField>
          </>
        )}
        <Button type="submit" variant="outlined" disabled={bring.isPending || !where}>
          {bring.isPending ? "Looking at it …" : "Bring it"}
        </Button>
        <Button onClick={() => setOpen(false)}>Cancel</Button>
      </div>
      <p className="small soft">
        {kind === "metric"
          ? "A function (truth, predicted) that returns a number, in a folder that Pellux was started with (--allow)."
          : "A class with fit and predict, from a folder that Pellux was started with (--allow) or an installed package."}
      </p>
      {bring.error && (
        <>
          <p role="alert" className="ember small" data-error="own">
            {bring.error.message}
          </p>
          {bring.error.trace && (
            <pre className="small scrolls sunk flush block-of-text own-code">{bring.error.trace}</pre>
          )}
        </>
      )}
    </form>
  );
}
