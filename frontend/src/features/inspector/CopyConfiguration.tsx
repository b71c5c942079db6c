import Button from "@mui/material/Button";
import { useState } from "react";
import { useConfiguration } from "../../api/trials";
import { Switch } from "../../ui/Switch";

const FORMATS = ["json", "yaml", "toml", "python"] as const;
type Format = (typeof FORMATS)[number];

/** A trial's configuration as text, ready to be copied. */
export function CopyConfiguration({ trial, height = 190 }: { trial: number; height?: number }) {
  const [format, setFormat] = useState<Format>("json");
  const [copied, setCopied] = useState(false);
  const text = useConfiguration(trial, format).data?.text;
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
