/** A space while it is laid out: text and lanes in step, undone one by one, kept in the browser, lost by no mistake. */
import { asked, called, No, on } from "../../stand";
import { QueryClientProvider } from "@tanstack/react-query";
import { act, renderHook, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { queryClient } from "../../../src/api/client";
import { useSpaceDraft } from "../../../src/features/space/useSpaceDraft";
import type { Entry } from "../../../src/lib/scale";

const USUAL = "depth: 2 .. 12 int\n";
const whole = (from: number, to: number): Entry => ({ kind: "whole range", name: "depth", from, to, scale: "linear" });
const ends = (text: string) => text.match(/\d+/g)!.map(Number);
/** A server that knows one line of the notation. */
const checks = () =>
  on("POST /spaces/check", ({ body }) => {
    const lanes = body.parameters as { from: number; to: number }[] | undefined;
    const text = lanes ? `depth: ${lanes[0]!.from} .. ${lanes[0]!.to} int\n` : ((body.text as string | null) ?? USUAL);
    const [from, to] = ends(text);
    if (from === undefined || to === undefined || from >= to)
      return { text, parameters: null, error: `line 1: ${from} is not below ${to}\ndepth: …` };
    return { text, parameters: [whole(from, to)], error: null };
  });
const draft = (after = "1", first = { learner: "tree", text: null as string | null }) =>
  renderHook(() => useSpaceDraft(3, after, "binary", first), {
    wrapper: ({ children }) => <QueryClientProvider client={queryClient}>{children}</QueryClientProvider>,
  });
const ready = async (view: ReturnType<typeof draft>) => {
  await waitFor(() => expect(view.result.current.inStep).toBe(true));
  return view.result;
};

describe("a space that is laid out", () => {
  it("begins with what is usual for the learner, and is no draft until it is touched", async () => {
    checks();
    const result = await ready(draft());
    expect(result.current.text).toBe(USUAL);
    expect(result.current.parameters).toEqual([whole(2, 12)]);
    expect(localStorage.getItem("pellux-space-3")).toBeNull();
    act(() => result.current.setText("depth: 3 .. 9 int\n"));
    expect(localStorage.getItem("pellux-space-3")).toContain("3 .. 9");
  });

  it("is found again as it was left, unless what it rests on has moved on", async () => {
    checks();
    const first = draft();
    const result = await ready(first);
    act(() => result.current.setText("depth: 3 .. 9 int\n"));
    first.unmount();
    const again = draft();
    await waitFor(() => expect(again.result.current.text).toBe("depth: 3 .. 9 int\n"));
    again.unmount();
    const later = draft("2");
    await waitFor(() => expect(later.result.current.text).toBe(USUAL));
  });

  it("shows a lane where it was moved before the server has answered, then as the server wrote it", async () => {
    checks();
    const result = await ready(draft());
    let done: Promise<void> | undefined;
    act(() => void (done = result.current.setParameters([whole(4, 8)])));
    expect(result.current.parameters, "at once").toEqual([whole(4, 8)]);
    expect(result.current.text, "the text waits").toBe(USUAL);
    await act(() => done!);
    expect(result.current.text).toBe("depth: 4 .. 8 int\n");
    await waitFor(() => expect(result.current.inStep).toBe(true));
    expect(result.current.parameters).toEqual([whole(4, 8)]);
  });

  it("says what is wrong with a lane and keeps the text as it was", async () => {
    checks();
    const result = await ready(draft());
    await act(() => result.current.setParameters([whole(9, 4)]));
    expect(result.current.laneError).toBe("line 1: 9 is not below 4");
    expect([result.current.text, result.current.parameters]).toEqual([USUAL, [whole(2, 12)]]);
    await act(() => result.current.setParameters([whole(4, 9)]));
    expect(result.current.laneError, "said no longer").toBeNull();
  });

  it("keeps the last good lanes while the text is wrong, and is out of step", async () => {
    checks();
    const result = await ready(draft());
    act(() => result.current.setText("depth: 9 .. 4 int\n"));
    expect(result.current.inStep).toBe(false);
    await waitFor(() => expect(result.current.checked?.error).toContain("9 is not below 4"));
    expect(result.current.inStep).toBe(false);
    expect(result.current.parameters, "what was there before").toEqual([whole(2, 12)]);
  });

  it("is undone step by step, back to where it began", async () => {
    checks();
    const result = await ready(draft());
    expect(result.current.canUndo).toBe(false);
    for (const text of ["depth: 3 .. 9 int\n", "depth: 4 .. 9 int\n"]) act(() => result.current.setText(text));
    await act(() => result.current.setParameters([whole(5, 9)]));
    for (const before of ["depth: 4 .. 9 int\n", "depth: 3 .. 9 int\n", USUAL]) {
      act(() => result.current.undo());
      expect(result.current.text).toBe(before);
    }
    expect(result.current.canUndo).toBe(false);
    act(() => result.current.undo());
    expect(result.current.text, "there is nothing before the beginning").toBe(USUAL);
  });

  it("has a text of its own for each learner, and nothing to undo after a change of learner", async () => {
    checks();
    const result = await ready(draft());
    act(() => result.current.setText("depth: 3 .. 9 int\n"));
    act(() => result.current.setLearner("forest"));
    await waitFor(() => expect(result.current.text).toBe(USUAL));
    expect(result.current.canUndo).toBe(false);
    expect((await asked("POST", "/spaces/check")).body).toMatchObject({ learner: "forest", task: "binary" });
    act(() => result.current.setLearner("tree"));
    expect(result.current.text).toBe("depth: 3 .. 9 int\n");
    act(() => result.current.reset());
    await waitFor(() => expect(result.current.text).toBe(USUAL));
  });

  it("asks the server once for what is typed quickly", async () => {
    checks();
    const result = await ready(draft());
    const before = called("POST", "/spaces/check").length;
    for (const to of [8, 9, 10, 11]) act(() => result.current.setText(`depth: 3 .. ${to} int\n`));
    await ready({ result } as ReturnType<typeof draft>);
    const texts = called("POST", "/spaces/check")
      .slice(before)
      .map((call) => call.body.text);
    expect(texts).toEqual(["depth: 3 .. 11 int\n"]);
  });

  it("tells of a server that cannot check it", async () => {
    on("POST /spaces/check", () => new No(422, { detail: "No learner of this name.", field: "learner", status: 422 }));
    const { result } = draft("1", { learner: "oak", text: "depth: 3 .. 9 int\n" });
    await waitFor(() => expect(result.current.refusal?.message).toBe("No learner of this name."));
    expect([result.current.text, result.current.inStep]).toEqual(["depth: 3 .. 9 int\n", false]);
  });
});
