import { describe, expect, it } from "vitest";
import { header, settingsOf } from "../../src/lib/pastResults";

describe("past results", () => {
  it("tell their columns from the first line alone", () => {
    expect(header('\uFEFFdepth,"mean, test","say ""hi"""\r\n1,2,3', "csv")).toEqual([
      "depth",
      "mean, test",
      'say "hi"',
    ]);
    expect(header('{"score": 1, "configuration": {"depth": 3}}\n', "jsonl")).toEqual(["score", "depth"]);
    expect(header("nonsense", "jsonl")).toEqual([]);
  });
});

describe("settings by hand", () => {
  it("are read with their types, or the line that is none is named", () => {
    expect(settingsOf("rate: 0.1\n\nbalance = yes\nkind: big\ndepth: 3\n")).toEqual({
      rate: 0.1,
      balance: true,
      kind: "big",
      depth: 3,
    });
    expect(settingsOf("rate: 0.1\nfaster please")).toContain("faster please");
  });
});
