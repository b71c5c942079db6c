import { expect, it } from "vitest";
import { taughtBy, taughtEach } from "../../src/lib/remembered";

const one = (name: string, trials = 40, likeness = 0.5) => ({ problem_id: 1, name, trials, likeness });

it("names the most alike and counts the others", () => {
  expect(taughtBy([])).toBe("");
  expect(taughtBy([one("Warm arrivals")])).toBe("Warm arrivals");
  expect(taughtBy([one("Warm arrivals"), one("Door checks")])).toBe("Warm arrivals and Door checks");
  expect(taughtBy([one("Warm arrivals"), one("b"), one("c")])).toBe("Warm arrivals and 2 other problems");
  expect(taughtEach([one("Warm arrivals", 1, 0.456), one("b")])).toBe(
    "Warm arrivals: 1 trial, 46 % alike\nb: 40 trials, 50 % alike",
  );
});
