import { fireEvent, render, screen } from "@testing-library/react";
import { expect, it, vi } from "vitest";
import type { FirstLook as Look } from "../../../../src/api/code";
import { FirstLook } from "../../../../src/features/brief/code/FirstLook";

const look: Look = {
  configuration: { rate: 0.1 },
  level: 1,
  seconds: 0.2,
  how: "the last number",
  score: 0.7,
  curve: [[1, 0.7]],
  recorded: {},
  left_out: 0,
  problem: "",
  lines: [
    { aside: true, text: "a warning", read: null },
    { aside: false, text: "acc=0.7", read: { how: "the pattern", level: null, score: 0.7, others: {} } },
  ],
  files: [{ name: "keep/a.png", bytes: 2048, kept: true }],
  guess: { name: "acc", pick_out: "acc=(.*)" },
};

it("marks the lines from which something was read, and offers the score that it seems to print", () => {
  const onGuess = vi.fn();
  const { container } = render(<FirstLook look={look} metric="score" counter="epochs" onGuess={onGuess} />);
  expect([...container.querySelectorAll("[data-read='yes']")].map((line) => line.textContent)).toEqual([
    "0.7000acc=0.7",
  ]);
  expect(screen.getByText("kept")).toBeTruthy();
  fireEvent.click(screen.getByText("Judge by acc"));
  expect(onGuess).toHaveBeenCalledWith("acc", "acc=(.*)");
});

it("says what went wrong, and does not offer what is judged by already", () => {
  render(
    <FirstLook
      look={{ ...look, problem: "It ended with exit status 1" }}
      metric="acc"
      counter="epochs"
      onGuess={vi.fn()}
    />,
  );
  expect(screen.getByRole("alert").textContent).toContain("exit status 1");
  expect(screen.queryByText("Judge by acc")).toBeNull();
});

it("draws what was read along the way", () => {
  const curve = [1, 2, 3].map((level) => [level, level / 10]);
  const { container } = render(<FirstLook look={{ ...look, curve }} metric="acc" counter="epochs" onGuess={vi.fn()} />);
  expect(container.querySelector("[data-curve-points]")?.getAttribute("data-curve-points")).toBe("3");
  expect(screen.getByRole("img").getAttribute("aria-label")).toBe("acc along epochs: 1: 0.1000, 2: 0.2000, 3: 0.3000");
});
