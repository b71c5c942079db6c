import Button from "@mui/material/Button";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, settled } from "../../api/client";
import { Switch } from "../live/Switch";

const FORMATS = ["json", "yaml", "toml", "python"] as const;
type Format = (typeof FORMATS)[number];

/** A trial's configuration as text, ready to be copied. */
export function CopyConfiguration({ trial, height = 190 }: { trial: number; height?: number }) {
  const [format, setFormat] = useState<Format>("json");
  const [copied, setCopied] = useState(false);
  const text = useQuery({
    queryKey: ["configuration", trial, format],
    staleTime: Infinity,
    queryFn: () =>
      settled(
        api.GET("/api/v1/trials/{trial_id}/configuration/{format}", { params: { path: { trial_id: trial, format } } }),
      ),
  }).data?.text;
  const copy = async () => {
    await navigator.clipboard.writeText(text ?? "");
    setCopied(true);
    window.setTimeout(() => setCopied(false), 1500);
  };
  return (
    <div className="col" style={{ gap: 6 }}>
      <div className="row">
        <span className="grow">
          <Switch label="Format" options={[...FORMATS]} value={format} onChange={setFormat} />
        </span>
        <Button onClick={() => void copy()} disabled={!text}>
          {copied ? "Copied" : "Copy"}
        </Button>
      </div>
      <pre
        data-configuration
        style={{
          margin: 0,
          padding: 10,
          background: "var(--sunk)",
          borderRadius: 6,
          overflow: "auto",
          maxHeight: height,
        }}
      >
        {text ?? "…"}
      </pre>
    </div>
  );
}
