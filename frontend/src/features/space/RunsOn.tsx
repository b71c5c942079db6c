import TextField from "@mui/material/TextField";
import type { Cluster } from "../../api/machines";

interface Props {
  clusters: Cluster[];
  value: string;
  wrong: boolean;
  onChange: (address: string) => void;
}

/** Where fits run: here, or on a cluster that was connected; not there while none is known. */
export function RunsOn({ clusters, value, wrong, onChange }: Props) {
  if (clusters.length === 0 && !value) return null;
  const known = clusters.some((one) => one.address === value);
  return (
    <TextField
      label="Runs on"
      select
      slotProps={{ select: { native: true }, inputLabel: { shrink: true } }}
      value={value}
      error={wrong}
      onChange={(e) => onChange(e.target.value)}
      sx={{ width: 190 }}
    >
      <option value="">this machine</option>
      {value && !known && <option value={value}>{value}, not connected</option>}
      {clusters.map((one) => (
        <option key={one.address} value={one.address}>
          {one.address.replace(/^tcp:\/\//, "")}
          {one.trouble ? ", not there" : `, ${one.cores} cores`}
        </option>
      ))}
    </TextField>
  );
}
