import { useColorScheme } from "@mui/material/styles";
import { useDecisions } from "../api/decisions";
import { useProblems } from "../api/problems";
import { useSteerSearch } from "../api/searches";
import { useTrialsNumbered } from "../api/trials";
import { withError } from "../lib/format";
import { STAGES, useChosen } from "../ui/place";

/** Where the finder can go, or what it can do. */
export interface Destination {
  key: string;
  label: string;
  note: string;
  act: string | (() => void); // an address, or a deed
}

const SHOWN = 12;
const NUMBER = /^(?:trial\s*|#)?(\d{1,7})$/;

/** What goes by the words that were typed: every word stands in it, and what begins with them comes first. */
export function matching(all: Destination[], text: string): Destination[] {
  const typed = text.trim().toLowerCase();
  const words = typed.split(/\s+/);
  const rank = (d: Destination) => (d.label.toLowerCase().startsWith(typed) ? 0 : 1);
  return all
    .filter((d) => words.every((word) => `${d.label} ${d.note}`.toLowerCase().includes(word)))
    .sort((a, b) => rank(a) - rank(b))
    .slice(0, SHOWN);
}

export function useDestinations(text: string, onKeys: () => void): Destination[] {
  const here = useHere(onKeys);
  const problems = useProblems().data ?? [];
  const decisions = useDecisions(null).data ?? [];
  const numbered = useNumbered(text);
  return [
    ...numbered,
    ...matching(
      [
        ...here,
        ...problems.map((p) => ({
          key: `problem ${p.id}`,
          label: p.name,
          note: "problem",
          act: `/p/${p.id}/${p.searches ? "live" : "brief"}`,
        })),
        ...decisions.map((d) => ({
          key: `decision ${d.id}`,
          label: `Decision ${d.id}: ${d.trial_name} of ${d.problem_name}`,
          note: d.signer ? `signed by ${d.signer}` : "decision",
          act: `/p/${d.problem_id}/decision`,
        })),
        { key: "home", label: "All problems", note: "home", act: "/" },
        { key: "new", label: "New problem from a data file", note: "new", act: "/new" },
        { key: "new program", label: "New problem from own code", note: "new", act: "/new?what=program" },
      ],
      text,
    ),
  ];
}

/** Stages, searches and settings of the problem that is open, and what can be done from here. */
function useHere(onKeys: () => void): Destination[] {
  const { problem, searches, chosen } = useChosen();
  const { state } = useSteerSearch(chosen?.id ?? 0, problem ?? 0);
  const { mode, systemMode, setMode } = useColorScheme();
  const dark = (mode === "system" ? systemMode : mode) === "dark";
  const steered = chosen && ["running", "paused"].includes(chosen.state) ? chosen : null;
  const deeds: Destination[] = [
    ...(steered
      ? [
          {
            key: "pause",
            label: `${steered.state === "running" ? "Pause" : "Resume"} search ${steered.number}`,
            note: "p",
            act: () => state.mutate(steered.state === "running" ? "paused" : "running"),
          },
        ]
      : []),
    {
      key: "colours",
      label: dark ? "Light colours" : "Dark colours",
      note: "action",
      act: () => setMode(dark ? "light" : "dark"),
    },
    { key: "keys", label: "Keys", note: "?", act: onKeys },
  ];
  if (problem === null) return deeds;
  const settings = (chosen?.parameters ?? []).map((p) => String(p.name));
  return [
    ...STAGES.map((s, i) => ({
      key: s,
      label: s[0]!.toUpperCase() + s.slice(1),
      note: `stage ${i + 1}`,
      act: `/p/${problem}/${s}`,
    })),
    ...searches.map((s) => ({
      key: `search ${s.id}`,
      label: s.kind === "search" ? `Search ${s.number}: ${s.learner}, ${s.strategy}` : `Re-judging ${s.number}`,
      note: s.state,
      act: `/p/${problem}/live?search=${s.id}`,
    })),
    ...settings.map((name) => ({
      key: `setting ${name}`,
      label: name,
      note: "setting",
      act: `/p/${problem}/space?setting=${encodeURIComponent(name)}`,
    })),
    ...deeds,
  ];
}

/** A number is that of a trial, of whichever search of the problem. */
function useNumbered(text: string): Destination[] {
  const { problem, searches, chosen } = useChosen();
  const ordered = chosen ? [chosen, ...searches.filter((s) => s.id !== chosen.id)] : searches;
  const found = NUMBER.exec(text.trim().toLowerCase());
  const trials = useTrialsNumbered(ordered.slice(0, SHOWN / 2), found ? Number(found[1]) : null);
  return trials.map(({ search, trial }) => ({
    key: `trial ${trial.id}`,
    label: `Trial ${trial.number} of search ${search.number}`,
    note: trial.mean === null ? trial.state : withError(trial.mean, trial.standard_error),
    act: `/p/${problem}/evidence?search=${search.id}&trial=${trial.id}`,
  }));
}
