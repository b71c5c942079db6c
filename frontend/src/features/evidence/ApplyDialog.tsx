import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import type { Finding } from "../../api/evidence";
import type { Change } from "../../lib/change";
import { scalar } from "../../lib/format";

/** What findings together would change. */
export function changeOf(findings: Finding[]): Change {
  return {
    lines: findings.flatMap((one) => one.lines),
    requirements: findings.flatMap((one) => one.requirements),
    plan: Object.assign({}, ...findings.map((one) => one.plan)) as Change["plan"],
  };
}

interface Props {
  findings: Finding[];
  onClose: () => void;
  onApply: (change: Change) => void;
}

/** Shows the change before it is made. */
export function ApplyDialog({ findings, onClose, onApply }: Props) {
  const change = changeOf(findings);
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth aria-labelledby="apply-title">
      <DialogTitle id="apply-title" className="display">
        What would change
      </DialogTitle>
      <DialogContent className="col apart">
        {change.lines.length + change.requirements.length > 0 && (
          <table className="collapsed full" aria-label="Lines of the space">
            <thead>
              <tr className="small soft left">
                <th className="medium">in the space</th>
                <th className="medium">becomes</th>
              </tr>
            </thead>
            <tbody className="mono">
              {change.lines.map((line) => (
                <tr key={line.name} className="underlined" data-change={line.name}>
                  <td className="soft">{line.before}</td>
                  <td>{line.after || <span className="soft">goes</span>}</td>
                </tr>
              ))}
              {change.requirements.map((text) => (
                <tr key={text} className="underlined" data-change="require">
                  <td className="soft">–</td>
                  <td>require {text}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {Object.entries(change.plan).map(([key, value]) => (
          <p key={key} data-change={key}>
            In the plan, <b>{key}</b> becomes <b className="mono">{scalar(value)}</b>.
          </p>
        ))}
        <p className="small soft">Nothing runs yet: Space opens with the change in it, where Undo takes it back.</p>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Leave it</Button>
        <Button variant="contained" onClick={() => onApply(change)} autoFocus>
          Open in Space
        </Button>
      </DialogActions>
    </Dialog>
  );
}
