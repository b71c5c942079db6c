import Button from "@mui/material/Button";
import Popover from "@mui/material/Popover";
import { useState } from "react";
import { PLAIN, toggled, type Arrangement, type Column } from "./trialColumns";

interface Props {
  columns: Column[];
  arrangement: Arrangement;
  onArrange: (next: Arrangement) => void;
}

/** Which columns are shown, and which stay in sight while the others move. */
export function Columns({ columns, arrangement, onArrange }: Props) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const { hidden, pinned } = arrangement;
  return (
    <>
      <Button size="small" onClick={(event) => setAnchor(event.currentTarget)} aria-haspopup="dialog">
        Columns …
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "top", horizontal: "left" }}
        transformOrigin={{ vertical: "bottom", horizontal: "left" }}
        slotProps={{ paper: { role: "dialog", "aria-label": "Columns" } as object }}
      >
        <table className="collapsed small inset">
          <thead>
            <tr className="soft left">
              <th className="medium">column</th>
              <th className="medium">shown</th>
              <th className="medium">stays</th>
            </tr>
          </thead>
          <tbody>
            {columns.map(({ key, label }) => (
              <tr key={key} data-column={key}>
                <td className="mono before-next">{label}</td>
                <td className="centred">
                  <input
                    type="checkbox"
                    aria-label={`Show ${label}`}
                    disabled={key === "number"}
                    checked={key === "number" || !hidden.includes(key)}
                    onChange={() => onArrange({ ...arrangement, hidden: toggled(hidden, key) })}
                  />
                </td>
                <td className="centred">
                  <input
                    type="checkbox"
                    aria-label={`Keep ${label} in sight`}
                    checked={pinned.includes(key)}
                    onChange={() => onArrange({ ...arrangement, pinned: toggled(pinned, key) })}
                  />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        <div className="row inset-foot">
          <Button size="small" onClick={() => onArrange(PLAIN)}>
            As at first
          </Button>
        </div>
      </Popover>
    </>
  );
}
