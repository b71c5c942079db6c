import Dialog from "@mui/material/Dialog";
import { useState } from "react";
import { useNavigate } from "react-router";
import { useDestinations, type Destination } from "./destinations";

/** Ctrl-K: go to anything by typing part of its name, or do something. */
export function Palette({ open, onClose, onKeys }: { open: boolean; onClose: () => void; onKeys: () => void }) {
  return (
    <Dialog
      open={open}
      onClose={onClose}
      fullWidth
      maxWidth="sm"
      slotProps={{ paper: { sx: { position: "fixed", top: 80, m: 0 } } }}
    >
      {open && <Finder onClose={onClose} onKeys={onKeys} />}
    </Dialog>
  );
}

function Finder({ onClose, onKeys }: { onClose: () => void; onKeys: () => void }) {
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const navigate = useNavigate();
  const places = useDestinations(text, onKeys);
  const open = (place: Destination | undefined) => {
    if (!place) return;
    onClose();
    if (typeof place.act === "string") void navigate(place.act);
    else place.act();
  };
  return (
    <div
      onKeyDown={(event) => {
        if (event.key === "ArrowDown") setAt((i) => Math.min(i + 1, places.length - 1));
        else if (event.key === "ArrowUp") setAt((i) => Math.max(i - 1, 0));
        else if (event.key === "Enter") open(places[at]);
        else return;
        event.preventDefault();
      }}
    >
      <input
        className="full inherits finder"
        autoFocus
        role="combobox"
        aria-label="Go to"
        aria-expanded
        aria-controls="places"
        aria-activedescendant={places[at] && `place-${at}`}
        placeholder="A problem, stage, search, setting, decision, the number of a trial, an action …"
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          setAt(0);
        }}
      />
      <ul className="unmarked flush places" role="listbox" id="places" aria-label="Places">
        {places.map((place, index) => (
          <li
            key={place.key}
            id={`place-${index}`}
            role="option"
            aria-selected={index === at}
            className="row clickable place"
            onClick={() => open(place)}
          >
            <span className="grow cut">{place.label}</span>
            <span className="soft small one-line">{place.note}</span>
          </li>
        ))}
      </ul>
      {places.length === 0 && (
        <p className="soft padded" role="status">
          Nothing here is called that.
        </p>
      )}
    </div>
  );
}
