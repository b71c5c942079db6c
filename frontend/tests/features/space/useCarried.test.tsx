import { act, cleanup, renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { MemoryRouter } from "react-router";
import { expect, it, vi } from "vitest";
import { useCarried } from "../../../src/features/space/useCarried";

const carried = {
  lines: [{ name: "rate", before: "rate: 0 .. 1", after: "rate: 0 .. 2" }],
  requirements: [],
  plan: {},
  learner: "tree",
  space: "rate: 0 .. 1\n",
};
const inside = (state: unknown) =>
  function Inside({ children }: { children: ReactNode }) {
    return <MemoryRouter initialEntries={[{ pathname: "/p/1/space", state }]}>{children}</MemoryRouter>;
  };

it("a proposed change is made once, to the text that is there, and to the search's own space where that text has no such line", async () => {
  for (const [text, wanted] of [
    ["rate: 0 .. 0.5\nown: 1\n", "rate: 0 .. 2\nown: 1\n"],
    ["other: 1 .. 3\n", "rate: 0 .. 2\n"],
  ] as const) {
    const setText = vi.fn();
    const draft = { learner: "tree", setLearner: vi.fn(), text, setText };
    const { rerender } = renderHook(() => useCarried(draft), { wrapper: inside({ change: carried }) });
    await waitFor(() => expect(setText).toHaveBeenCalledWith(wanted));
    act(() => rerender());
    expect(setText).toHaveBeenCalledTimes(1);
    cleanup();
  }
});

it("the learner is changed first, and nothing happens without a change", async () => {
  const draft = { learner: "forest", setLearner: vi.fn(), text: "rate: 0 .. 1\n", setText: vi.fn() };
  renderHook(() => useCarried(draft), { wrapper: inside({ change: carried }) });
  await waitFor(() => expect(draft.setLearner).toHaveBeenCalledWith("tree"));
  expect(draft.setText).not.toHaveBeenCalled();
  cleanup();
  const still = { ...draft, setLearner: vi.fn() };
  renderHook(() => useCarried(still), { wrapper: inside(null) });
  expect(still.setLearner).not.toHaveBeenCalled();
});
