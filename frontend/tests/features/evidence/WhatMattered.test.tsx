// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen } from "@testing-library/react";
import { afterEach, expect, it } from "vitest";
import type { Importances } from "../../../src/api/evidence";
import { keys } from "../../../src/api/keys";
import { WhatMattered } from "../../../src/features/evidence/WhatMattered";

const share = (value: number) => ({ share: value, low: value - 0.05, high: value + 0.05 });
const one = (name: string, alone: number, total: number) => ({
  name,
  alone: share(alone),
  total: share(total),
  among_good: share(alone / 2),
});
const known: Importances = {
  state: "done",
  message: "",
  trials: 41,
  explained: 0.87,
  singles: [one("rate", 0.4, 0.6), one("depth", 0.1, 0.3)],
  pairs: [
    { names: ["rate", "depth"], beyond: share(0.2), among_good: share(0.1) },
    { names: ["rate", "width"], beyond: share(0.001), among_good: share(0) },
  ],
};

function shown(found: Importances) {
  const client = new QueryClient({ defaultOptions: { queries: { staleTime: Infinity } } });
  client.setQueryData(keys.analysis("what matters", 3), found);
  return render(
    <QueryClientProvider client={client}>
      <WhatMattered search={3} />
    </QueryClientProvider>,
  ).container;
}

afterEach(cleanup);

it("tells of each setting what it does alone, with others, and among the good, with its doubt", () => {
  const container = shown(known);
  const rows = [...container.querySelectorAll("[data-mattered]")].map((row) => row.textContent);
  expect(rows).toEqual(["rate40 %60 % 55 % to 65 %20 %", "depth10 %30 % 25 % to 35 %5 %"]);
  expect(container.textContent).toContain("From 41 scored trials; 87 % of their differences can be foretold");
  expect(container.textContent).toContain("rate and depth 20 %.");
  expect(container.textContent).not.toContain("width");
});

it("says so where nothing can be said, and why it failed", () => {
  shown({ ...known, trials: 0, singles: [], pairs: [] });
  expect(screen.getByText(/Too few trials are scored/)).toBeTruthy();
  cleanup();
  shown({ ...known, state: "failed", message: "The process was killed." });
  expect(screen.getByRole("alert").textContent).toBe("The process was killed.");
});
