import MenuItem from "@mui/material/MenuItem";
import Select from "@mui/material/Select";
import Tooltip from "@mui/material/Tooltip";
import { useColorScheme } from "@mui/material/styles";
import { Link, useNavigate } from "react-router";
import { useProblems } from "../api/problems";
import { useWorkspace } from "../api/workspace";
import { useLight } from "../api/events";
import { count } from "../lib/format";
import { Mark } from "../charts/Mark";
import { SearchLine } from "./SearchLine";
import { useChosen } from "../ui/place";

const plainSelect = { "& fieldset": { border: 0 }, fontWeight: 600, maxWidth: 300, "& .MuiSelect-select": { py: 0.5 } };

export function TopBar({ onPalette, onHelp }: { onPalette: () => void; onHelp: () => void }) {
  const { problem, searches, chosen, choose } = useChosen();
  const problems = useProblems().data ?? [];
  const navigate = useNavigate();
  return (
    <header className="row underlined on-sheet top-bar">
      <Link
        to="/"
        className="row near inherits undecorated"

        aria-label="Pellux: all problems"
      >
        <Mark size={26} />
        <span className="display strong name">Pellux</span>
      </Link>
      {problem !== null && problems.length > 0 && (
        <Select
          value={problems.some((p) => p.id === problem) ? problem : ""}
          onChange={(event) => void navigate(`/p/${event.target.value}/brief`)}
          sx={plainSelect}
          inputProps={{ "aria-label": "Problem" }}
        >
          {problems.map((p) => (
            <MenuItem key={p.id} value={p.id}>
              {p.name}
            </MenuItem>
          ))}
        </Select>
      )}
      {chosen && (
        <Select
          value={chosen.id}
          onChange={(event) => choose(event.target.value)}
          sx={plainSelect}
          inputProps={{ "aria-label": "Search" }}
        >
          {searches.map((s) => (
            <MenuItem key={s.id} value={s.id}>
              <SearchLine search={s} />
            </MenuItem>
          ))}
        </Select>
      )}
      <span className="grow" />
      <button className="plain-button row small soft" onClick={onPalette} title="Go to anything">
        Go to <span className="key">Ctrl K</span>
      </button>
      <WorkerMeter />
      <ConnectionLight />
      <ModeSwitch />
      <Leave />
      <button className="plain-button key" onClick={onHelp} aria-label="Keys">
        ?
      </button>
    </header>
  );
}

/** Only where a token let this page in. */
function Leave() {
  if (!useWorkspace().data?.logged_in) return null;
  return (
    <form method="post" action="/logout">
      <button className="plain-button small soft">Log out</button>
    </form>
  );
}

function WorkerMeter() {
  const workspace = useWorkspace().data;
  if (!workspace) return null;
  const { busy_workers: busy, workers, cores, fits_per_minute: rate } = workspace;
  const cells = Math.min(Math.max(workers, cores, 1), 12);
  return (
    <Tooltip
      title={
        workers ? `${busy} of ${workers} workers are busy; ${cores} cores` : `No search is running; ${cores} cores`
      }
    >
      <div className="row small close" role="status" aria-label="Workers">
        <span className="closer workers-busy" aria-hidden>
          {Array.from({ length: cells }, (_, i) => (
            <span key={i} style={{ background: i < busy ? "var(--spruce)" : "var(--sunk)" }} />
          ))}
        </span>
        <span>
          {busy}/{workers}
        </span>
        {workers > 0 && <span className="soft">{count(Math.round(rate))} fits/min</span>}
      </div>
    </Tooltip>
  );
}

const LIGHTS = {
  open: ["live", "var(--spruce)"],
  connecting: ["connecting", "var(--honey)"],
  lost: ["reconnecting", "var(--ember)"],
} as const;

function ConnectionLight() {
  const [word, colour] = LIGHTS[useLight()];
  return (
    <span className="row small close" role="status" data-light={word}>
      <svg width="10" height="10" aria-hidden>
        <circle cx="5" cy="5" r="4" fill={word === "live" ? colour : "none"} stroke={colour} strokeWidth="2" />
      </svg>
      <span className="soft">{word}</span>
    </span>
  );
}

function ModeSwitch() {
  const { mode, systemMode, setMode } = useColorScheme();
  const dark = (mode === "system" ? systemMode : mode) === "dark";
  return (
    <button
      className="plain-button"
      onClick={() => setMode(dark ? "light" : "dark")}
      aria-label={dark ? "Light colours" : "Dark colours"}
    >
      <svg width="18" height="18" viewBox="0 0 18 18" aria-hidden>
        <circle cx="9" cy="9" r="7" fill="none" stroke="currentColor" strokeWidth="1.5" />
        <path d={dark ? "M9 2a7 7 0 0 0 0 14z" : "M9 2a7 7 0 0 1 0 14z"} fill="currentColor" />
      </svg>
    </button>
  );
}
