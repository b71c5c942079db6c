import type { Problem } from "../../../api/client";
import type { CodeRequest, CodeBrief, Help } from "../../../api/code";
import { limitsOf, limitsText } from "../../../lib/limits";
import { quoted } from "../../../lib/command";

export type Kind = CodeBrief["kind"];

/** What is typed into the form of a problem of own code; amounts are texts until they are sent, so that nothing typed is changed. */
export interface CodeForm {
  kind: Kind;
  name: string;
  folder: string;
  command: string;
  function: string;
  score: string;
  larger: boolean;
  pickOut: string;
  recorded: string;
  limits: string; // as they are written
  against: string; // names parted by commas
  folds: string;
  grows: boolean;
  what: string;
  most: string;
  goesOn: boolean;
  mayChange: string;
  cores: string;
  devices: string;
  memory: string;
  final: boolean;
  seed: string;
  space: string;
}

export const emptyCode = (kind: Kind): CodeForm => ({
  kind,
  name: "",
  folder: "",
  command: "",
  function: "",
  score: "",
  larger: true,
  pickOut: "",
  recorded: "",
  limits: "",
  against: "",
  folds: "1",
  grows: false,
  what: "epochs",
  most: "",
  goesOn: false,
  mayChange: "",
  cores: "1",
  devices: "0",
  memory: "",
  final: false,
  seed: "0",
  space: "",
});

export function codeFormOf(problem: Problem & { code: CodeBrief }): CodeForm {
  const { code } = problem;
  return {
    kind: code.kind,
    name: problem.name,
    folder: code.folder,
    command: code.runs.map(quoted).join(" "),
    function: code.function,
    score: code.metric,
    larger: code.larger_is_better,
    pickOut: code.pick_out,
    recorded: code.recorded.map((name) => (code.smaller.includes(name) ? `${name} ↓` : name)).join(", "),
    limits: limitsText(problem.judging.limits),
    against: limitsText(problem.judging.against),
    folds: String(code.folds),
    grows: code.grows !== null,
    what: code.grows?.what ?? "epochs",
    most: code.grows ? String(code.grows.most) : "",
    goesOn: code.grows?.goes_on ?? false,
    mayChange: code.grows?.may_change.join(", ") ?? "",
    cores: String(code.holds.cores),
    devices: String(code.holds.devices),
    memory: code.holds.memory_mb === null ? "" : String(code.holds.memory_mb),
    final: code.final,
    seed: String(code.seed),
    space: code.space,
  };
}

const words = (text: string) =>
  text
    .split(",")
    .map((part) => part.trim())
    .filter(Boolean);

/** What may be limited: what every fit costs, and what is written down. */
export const quantitiesOf = (form: CodeForm) => [
  { measure: "fit seconds", larger_is_better: false },
  { measure: "model mb", larger_is_better: false },
  ...words(form.recorded).map((name) => ({
    measure: name.replace(/\s*[↓↑]$/, ""),
    larger_is_better: !name.endsWith("↓"),
  })),
];

/** A whole number as it was typed, or null when it is none. */
const whole = (text: string, least: number): number | null =>
  /^\d+$/.test(text.trim()) && Number(text) >= least ? Number(text) : null;

/** The first field that is missing or is no number, with what to say of it. */
export function wrongIn(form: CodeForm): { field: keyof CodeForm; words: string } | null {
  if (form.kind === "program" && !form.command.trim())
    return { field: "command", words: "Write how the program is started, such as python train.py." };
  if (form.kind === "function" && !form.function.trim())
    return { field: "function", words: "Name the function: train.py:train." };
  if (!form.score.trim()) return { field: "score", words: "Name the score, as the code tells it." };
  if (whole(form.folds, 1) === null) return { field: "folds", words: "Folds are a whole number, 1 or more." };
  if (form.grows && whole(form.most, 2) === null)
    return { field: "most", words: `How many ${form.what} are all? A whole number, 2 or more.` };
  if (whole(form.cores, 1) === null) return { field: "cores", words: "Cores are a whole number, 1 or more." };
  if (whole(form.devices, 0) === null) return { field: "devices", words: "Devices are a whole number, 0 or more." };
  if (form.memory.trim() && whole(form.memory, 16) === null)
    return { field: "memory", words: "Memory is a whole number of MB, 16 or more, or empty." };
  if (whole(form.seed, 0) === null) return { field: "seed", words: "A seed is a whole number, 0 or more." };
  return null;
}

export function codeRequest(form: CodeForm): CodeRequest {
  return {
    name: form.name,
    runs: form.kind === "program" ? form.command : null,
    function: form.kind === "function" ? form.function.trim() : null,
    outside: form.kind === "outside",
    folder: form.folder,
    "judged by": {
      score: form.score.trim(),
      "larger is better": form.larger,
      "pick out": form.kind === "program" ? form.pickOut : "",
    },
    recorded: words(form.recorded).map((name) => ({
      score: name.replace(/\s*[↓↑]$/, ""),
      "larger is better": !name.endsWith("↓"),
    })),
    limits: limitsOf(form.limits),
    against: limitsOf(form.against),
    folds: Number(form.folds),
    grows: form.grows
      ? {
          what: form.what.trim() || "epochs",
          most: Number(form.most),
          "goes on": form.goesOn,
          "may change": form.goesOn ? words(form.mayChange) : [],
        }
      : null,
    holds: {
      cores: Number(form.cores),
      devices: Number(form.devices),
      "memory mb": form.memory.trim() ? Number(form.memory) : null,
    },
    final: form.final,
    seed: Number(form.seed),
  };
}

/** What a program's --help fills in: command, space, what grows; what was typed besides stays. */
export const withHelp = (form: CodeForm, help: Help): CodeForm => ({
  ...form,
  command: help.runs.map(quoted).join(" "),
  space: help.space,
  ...(help.most ? { grows: true, what: help.grows || form.what, most: String(help.most) } : {}),
});

/** A command in pieces: placeholders, and the text between them. */
export const piecesOf = (command: string): { text: string; place: boolean }[] =>
  command
    .split(/(\{[^{}]*\})/)
    .filter(Boolean)
    .map((text) => ({ text, place: /^\{[^{}]*\}$/.test(text) }));
