import { useEffect, useState } from "react";
import { useNavigate } from "react-router";
import { useSteerSearch } from "../api/searches";
import { STAGES, useChosen } from "../ui/place";

export const SHORTCUTS: [string, string][] = [
  ["1 – 5", "Brief, Space, Live, Evidence, Decision"],
  ["Ctrl K", "Go to anything"],
  ["Ctrl Enter", "What the screen is for: frame the problem, launch, decide, sign; or what is still missing for it"],
  ["j  k", "Next or previous trial"],
  ["Enter", "Inspect the trial"],
  ["s", "Put the trial on the shortlist, or take it off"],
  ["b", "Compare the chosen finalist with the baseline (on Decision)"],
  ["p", "Pause or resume the search"],
  ["n", "New search: to the space"],
  ["/", "Filter the trials"],
  ["Esc", "Close the inspector"],
  ["?", "This list"],
];

const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement && (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName));

/** Presses the button that a screen is for; where it is off, goes to the first field that it waits for. */
function doPrimary() {
  const button = document.querySelector<HTMLButtonElement>("main [data-primary]");
  if (button && !button.disabled) button.click();
  else document.querySelector<HTMLElement>("main [data-needed]")?.focus();
}

/** Keys that work on every screen; those of a list (j, k, Enter, s, /) belong to the list. */
export function useShortcuts() {
  const [palette, setPalette] = useState(false);
  const [help, setHelp] = useState(false);
  const { problem, chosen, go, trial, inspect } = useChosen();
  const { state } = useSteerSearch(chosen?.id ?? 0, problem ?? 0);
  const navigate = useNavigate();
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k") {
        event.preventDefault();
        setPalette((open) => !open);
        return;
      }
      if ((event.ctrlKey || event.metaKey) && event.key === "Enter") {
        event.preventDefault();
        doPrimary();
        return;
      }
      if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
      if (event.key === "?") setHelp(true);
      else if (event.key === "Escape" && trial !== null) inspect(null);
      else if (problem !== null && /^[1-5]$/.test(event.key)) go(STAGES[Number(event.key) - 1]!);
      else if (problem !== null && event.key === "n") go("space");
      else if (problem === null && event.key === "n") void navigate("/new");
      else if (event.key === "p" && chosen && ["running", "paused"].includes(chosen.state))
        state.mutate(chosen.state === "running" ? "paused" : "running");
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [problem, chosen, go, trial, inspect, navigate, state]);
  return { palette, setPalette, help, setHelp };
}
