import { describe, expect, it } from "vitest";
import type { Problem } from "../../../../src/api/client";
import type { CodeBrief, Help } from "../../../../src/api/code";
import {
  codeFormOf,
  codeRequest,
  emptyCode,
  piecesOf,
  quantitiesOf,
  withHelp,
  wrongIn,
  type CodeForm,
} from "../../../../src/features/brief/code/codeForm";

const whole: CodeForm = {
  ...emptyCode("program"),
  command: "python train.py --rate {rate}",
  score: " recall ",
  recorded: "loss ↓, precision",
  folds: "5",
  grows: true,
  most: "27",
  goesOn: true,
  mayChange: "rate",
  memory: "2000",
};

const code: CodeBrief = {
  kind: "program",
  label: "train.py",
  runs: ["python", "train.py", "--name", "two words", "{rate}"],
  function: "",
  folder: "/code",
  metric: "recall",
  larger_is_better: false,
  pick_out: "",
  recorded: ["loss", "precision"],
  smaller: ["loss"],
  folds: 5,
  grows: { what: "epochs", most: 27, goes_on: true, may_change: ["rate"] },
  holds: { cores: 2, devices: 1, memory_mb: null },
  final: true,
  seed: 3,
  files: ["train.py"],
  fingerprint: "f",
  space: "rate: 0 .. 1",
};

describe("the form of own code", () => {
  it("asks for what a brief is", () => {
    expect(codeRequest(whole)).toMatchObject({
      runs: "python train.py --rate {rate}",
      function: null,
      outside: false,
      "judged by": { score: "recall", "larger is better": true },
      recorded: [
        { score: "loss", "larger is better": false },
        { score: "precision", "larger is better": true },
      ],
      folds: 5,
      grows: { what: "epochs", most: 27, "goes on": true, "may change": ["rate"] },
      holds: { cores: 1, devices: 0, "memory mb": 2000 },
    });
  });

  it("comes back from a problem as it went", () => {
    const form = codeFormOf({ name: "P", code, judging: { limits: ["loss <= 2"], against: ["loss"] } } as Problem & {
      code: CodeBrief;
    });
    expect(codeRequest(form).limits).toEqual(["loss <= 2"]);
    expect(codeRequest(form).against).toEqual(["loss"]);
    expect(quantitiesOf(form).at(-2)).toEqual({ measure: "loss", larger_is_better: false });
    expect(form.command).toBe("python train.py --name 'two words' {rate}");
    expect(form.recorded).toBe("loss ↓, precision");
    expect(codeRequest(form)).toMatchObject({
      folder: "/code",
      final: true,
      seed: 3,
      holds: { cores: 2, devices: 1, "memory mb": null },
      "judged by": { "larger is better": false },
    });
    expect(wrongIn(form)).toBeNull();
  });

  it.each([
    [{ command: " " }, "command"],
    [{ score: "" }, "score"],
    [{ folds: "0" }, "folds"],
    [{ folds: "1e1" }, "folds"],
    [{ folds: "-3" }, "folds"],
    [{ most: "" }, "most"],
    [{ most: "1" }, "most"],
    [{ cores: "two" }, "cores"],
    [{ devices: "1.5" }, "devices"],
    [{ memory: "1" }, "memory"],
    [{ seed: "x" }, "seed"],
  ])("says what is wrong with %o, and changes nothing that was typed", (part, field) => {
    expect(wrongIn({ ...whole, ...part })?.field).toBe(field);
  });

  it("is filled from a program's --help, and keeps what was typed besides", () => {
    const help = { runs: ["python", "t.py", "{rate}"], space: "rate: 0 .. 1", grows: "epochs", most: 9 } as Help;
    expect(withHelp({ ...whole, grows: false, most: "" }, help)).toMatchObject({
      command: "python t.py {rate}",
      space: "rate: 0 .. 1",
      grows: true,
      most: "9",
      score: " recall ",
    });
    expect(withHelp(whole, { ...help, most: null }).most).toBe("27");
  });

  it("shows placeholders apart from the words between them", () => {
    expect(piecesOf("p --rate {rate} '{fast ? --fast}'")).toEqual([
      { text: "p --rate ", place: false },
      { text: "{rate}", place: true },
      { text: " '", place: false },
      { text: "{fast ? --fast}", place: true },
      { text: "'", place: false },
    ]);
  });
});
