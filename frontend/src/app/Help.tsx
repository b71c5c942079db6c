import Dialog from "@mui/material/Dialog";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import { SHORTCUTS } from "./shortcuts";

export function Help({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Dialog open={open} onClose={onClose} maxWidth="xs" fullWidth>
      <DialogTitle sx={{ fontFamily: "var(--display)" }}>Keys</DialogTitle>
      <DialogContent>
        <table className="spaced-rows">
          <tbody>
            {SHORTCUTS.map(([key, meaning]) => (
              <tr key={key}>
                <td className="one-line before-next">
                  <span className="key">{key}</span>
                </td>
                <td>{meaning}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </DialogContent>
    </Dialog>
  );
}
