/** Finalists fold by fold: walked through by keys, marked by keys, and many folds in a row of colours. */
import { answer, asked, called, on } from "../../stand";
import { QueryClientProvider } from "@tanstack/react-query";
import { fireEvent, render, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { queryClient, type Problem } from "../../../src/api/client";
import type { Finalists } from "../../../src/api/decisions";
import { FoldMatrix } from "../../../src/features/decision/FoldMatrix";

const problem = answer<Problem>("GET /api/v1/problems/1");
const found = answer<Finalists>("GET /api/v1/problems/1/finalists");
const ids = found.finalists.map((f) => f.trial.id);

function shown(chosen = ids[0]!, folds = problem.judging.folds, all: Finalists = found) {
  const told = { choose: vi.fn<(id: number) => void>(), inspect: vi.fn<(id: number) => void>() };
  const view = render(
    <QueryClientProvider client={queryClient}>
      <FoldMatrix
        problem={{ ...problem, judging: { ...problem.judging, folds } }}
        found={all}
        chosen={chosen}
        onChoose={told.choose}
        onInspect={told.inspect}
      />
    </QueryClientProvider>,
  );
  return { ...view, ...told };
}
const key = (pressed: string, target: Element | Window = window, more = {}) =>
  fireEvent.keyDown(target, { key: pressed, bubbles: true, ...more });
const heads = () => [...document.querySelectorAll("[role='columnheader']")].map((h) => h.textContent);

describe("the fold matrix", () => {
  it("goes down and up by j and k, and no further than there are finalists", () => {
    const first = shown();
    key("j");
    expect(first.choose).toHaveBeenLastCalledWith(ids[1]);
    key("k");
    expect(first.choose, "above the first there is nobody").toHaveBeenLastCalledWith(ids[0]);
    first.unmount();
    const last = shown(ids[ids.length - 1]);
    key("j");
    expect(last.choose).toHaveBeenLastCalledWith(ids[ids.length - 1]);
  });

  it("inspects by Enter and shortlists by s, and not while somebody types or means something else", async () => {
    on(`PUT /trials/${ids[0]}/remarks`, () => ({}));
    const { choose, inspect, container } = shown();
    const input = container.appendChild(document.createElement("input"));
    for (const pressed of ["j", "Enter", "s"]) key(pressed, input);
    key("s", window, { ctrlKey: true });
    expect([choose.mock.calls.length, inspect.mock.calls.length]).toEqual([0, 0]);
    key("Enter");
    expect(inspect).toHaveBeenCalledWith(ids[0]);
    await waitFor(() => expect(container.querySelector("[data-finalist]")).toBeTruthy());
    expect(called("PUT", `/trials/${ids[0]}/remarks`)).toHaveLength(0);
    key("s");
    const sent = (await asked("PUT", `/trials/${ids[0]}/remarks`)).body;
    expect(sent.shortlisted).toBe(!found.finalists[0]!.trial.shortlisted);
  });

  it("writes out a few folds, numbers more of them, and draws very many as one", () => {
    const few = shown(ids[0], 4);
    expect(heads()[1]).toBe("fold 1fold 2fold 3fold 4");
    few.unmount();
    const more = shown(ids[0], 10);
    expect(heads()[1]).toBe("12345678910");
    more.unmount();
    shown(ids[0], 50);
    expect(heads()[1]).toBe("folds 1 to 50");
  });

  it("says how many rows it has, also those that are not drawn", () => {
    const many = Array.from({ length: 300 }, (_, i) => {
      const one = found.finalists[i % ids.length]!;
      return { ...one, trial: { ...one.trial, id: 1000 + i } };
    });
    const { container } = shown(1000, 4, { ...found, finalists: many, leader: 1000 });
    expect(container.querySelector("[role='table']")!.getAttribute("aria-rowcount")).toBe("301");
    expect(container.querySelectorAll("[data-finalist]").length).toBeLessThan(100);
  });
});
