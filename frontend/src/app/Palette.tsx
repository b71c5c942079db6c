import Dialog from "@mui/material/Dialog";
import { useState } from "react";
import { useNavigate } from "react-router";
import { useProblems } from "../api/problems";
import { STAGES, useChosen } from "../ui/place";

interface Destination {
  label: string;
  note: string;
  to: string;
}

/** Ctrl-K: go to any problem, stage or search by typing part of its name. */
export function Palette({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Dialog
      open={open}
      onClose={onClose}
      fullWidth
      maxWidth="sm"
      slotProps={{ paper: { sx: { position: "fixed", top: 80, m: 0 } } }}
    >
      {open && <Finder onClose={onClose} />}
    </Dialog>
  );
}

function Finder({ onClose }: { onClose: () => void }) {
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const navigate = useNavigate();
  const places = useDestinations()
    .filter((d) => `${d.label} ${d.note}`.toLowerCase().includes(text.toLowerCase()))
    .slice(0, 12);
  const open = (place: Destination | undefined) => {
    if (!place) return;
    onClose();
    void navigate(place.to);
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
        className="full inherits"
        autoFocus
        aria-label="Go to"
        placeholder="Go to a problem, a stage, a search …"
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          setAt(0);
        }}
        style={{
          font: "inherit",
          fontSize: 16,
          padding: "14px 18px",
          border: 0,
          outline: 0,
          background: "transparent",
        }}
      />
      <ul className="unmarked flush" style={{ padding: "0 8px 8px" }}>
        {places.map((place, index) => (
          <li key={place.to + place.label}>
            <button
              className="plain-button row full"
              onClick={() => open(place)}
              style={{
                padding: "7px 10px",
                borderRadius: 6,
                background: index === at ? "var(--spruce-tint)" : undefined,
              }}
            >
              <span className="grow cut">{place.label}</span>
              <span className="soft small">{place.note}</span>
            </button>
          </li>
        ))}
        {places.length === 0 && (
          <li className="soft" style={{ padding: 10 }}>
            Nothing here is called that.
          </li>
        )}
      </ul>
    </div>
  );
}

function useDestinations(): Destination[] {
  const problems = useProblems().data ?? [];
  const { problem, searches } = useChosen();
  const stages =
    problem === null
      ? []
      : STAGES.map((s, i) => ({
          label: s[0]!.toUpperCase() + s.slice(1),
          note: `stage ${i + 1}`,
          to: `/p/${problem}/${s}`,
        }));
  const own = searches.map((s) => ({
    label: s.kind === "search" ? `Search ${s.number}: ${s.learner}, ${s.strategy}` : `Re-judging ${s.number}`,
    note: s.state,
    to: `/p/${problem}/live?search=${s.id}`,
  }));
  const all = problems.map((p) => ({
    label: p.name,
    note: "problem",
    to: `/p/${p.id}/${p.searches ? "live" : "brief"}`,
  }));
  return [
    ...stages,
    ...own,
    ...all,
    { label: "All problems", note: "home", to: "/" },
    { label: "New problem from a data file", note: "home", to: "/new" },
  ];
}
