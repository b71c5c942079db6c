import { fireEvent, render, screen } from "@testing-library/react";
import { expect, it, vi } from "vitest";
import type { Column } from "../../../src/api/client";
import { ClassesOrNumber, isAsked } from "../../../src/features/brief/ClassesOrNumber";

const column = (more: Partial<Column>) =>
  ({ name: "stars", type: "number", whole: true, distinct: 5, examples: ["3", "", "5"], ...more }) as Column;

it("is asked of a handful of whole numbers, however they are read now", () => {
  expect(isAsked(column({}))).toBe(true);
  expect(isAsked(column({ type: "category", whole: false }))).toBe(true);
  const others: Partial<Column>[] = [
    { distinct: 2 },
    { distinct: 21 },
    { whole: false },
    { type: "date" },
    { type: "category", whole: false, examples: ["oak", "elm"] },
  ];
  for (const plain of others) expect(isAsked(column(plain)), JSON.stringify(plain)).toBe(false);
  expect(isAsked(undefined)).toBe(false);
});

it("says what follows from each answer, and changes how the column is read", () => {
  const onType = vi.fn();
  render(<ClassesOrNumber column={column({})} onType={onType} />);
  expect(screen.getByText(/5 different whole numbers/)).toBeTruthy();
  expect(screen.getByLabelText<HTMLInputElement>(/^A number/).checked).toBe(true);
  fireEvent.click(screen.getByLabelText(/^Classes/));
  expect(onType).toHaveBeenCalledWith("category");
});
