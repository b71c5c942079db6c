import { render, screen } from "@testing-library/react";
import { expect, it } from "vitest";
import type { Evidence } from "../../../src/api/evidence";
import { NOTHING } from "./nothing";
import { WhatMattered } from "../../../src/features/evidence/WhatMattered";

const share = (value: number) => ({ share: value, low: value - 0.05, high: value + 0.05 });
const one = (name: string, alone: number, total: number) => ({
  name,
  alone: share(alone),
  total: share(total),
  among_good: share(alone / 2),
  total_among_good: share(total / 2),
});
const known: Evidence = {
  ...NOTHING,
  trials: 41,
  explained: 0.87,
  directions: [
    { name: "rate", trend: "more is better", until: 0.3, rank: 0.6, low: 0.4, high: 0.8, partial: 0.5, trials: 41 },
  ],
  singles: [one("rate", 0.4, 0.6), one("depth", 0.1, 0.3)],
  pairs: [
    { names: ["rate", "depth"], beyond: share(0.2), among_good: share(0.1) },
    { names: ["rate", "width"], beyond: share(0.001), among_good: share(0) },
  ],
};

const shown = (found: Evidence) => render(<WhatMattered found={found} />).container;

it("tells of each setting what it does alone, with others, and among the good, with its doubt", () => {
  const container = shown(known);
  const rows = [...container.querySelectorAll("[data-mattered]")].map((row) => row.textContent);
  expect(rows).toEqual(["ratemore is better ↑ up to 0.340 %60 % 55 to 65 %20 %", "depth10 %30 % 25 to 35 %5 %"]);
  expect(container.textContent).toContain("From 41 scored trials; 87 % of their differences can be foretold");
  expect(container.textContent).toContain("rate and depth 20 %.");
  expect(container.textContent).not.toContain("width");
});

it("says so where nothing can be said", () => {
  shown({ ...known, trials: 0, singles: [], pairs: [] });
  expect(screen.getByText(/Too few trials are scored/)).toBeTruthy();
});
