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
    <div className="col close">
      <div className="row">
        <span className="grow">
          <Switch label="Format" options={[...FORMATS]} value={format} onChange={setFormat} />
        </span>
        <Button onClick={() => void copy()} disabled={!text}>
          {copied ? "Copied" : "Copy"}
        </Button>
      </div>
      <pre className="flush sunk scrolls block-of-text" data-configuration style={{ maxHeight: height }}>
        {text ?? "…"}
      </pre>
    </div>
  );
}
