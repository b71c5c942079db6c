import { describe, expect, it } from "vitest";
import { bytes, duration, figure, score, withError } from "../../src/lib/format";

describe("numbers as people read them", () => {
  it("gives a score the digits its error supports", () => {
    expect(withError(0.71234, 0.0271)).toBe("0.712 ± 0.027");
    expect(withError(5.9178, 0.13)).toBe("5.92 ± 0.13");
    expect(score(0.5)).toBe("0.5000");
    expect(score(null)).toBe("–");
  });
  it("tells neighbours apart by as many digits as it takes, and equal ones by none", () => {
    expect(withError(0.71234, 0.0271, [0.71231, null, undefined])).toBe("0.71234 ± 0.027");
    expect(withError(0.71234, 0.0271, [0.71234, 0.69])).toBe("0.712 ± 0.027");
    expect(withError(0.5, null, [0.5 + 1e-12])).toBe("0.500000000");
  });
  it("writes durations and figures plainly", () => {
    expect([0.31, 4.25, 59.4, 250, 7500].map(duration)).toEqual(["310 ms", "4.3 s", "59 s", "4 min 10 s", "2 h 5 min"]);
    expect([255, 1234567, 0.00012, 0.0481, 12000].map(figure)).toEqual([
      "255",
      "1.2e6",
      "1.2e-4",
      "0.0481",
      "12\u202f000",
    ]);
  });
});

it("sizes are read at a glance", () => {
  const shown = [0, 999, 1500, 99_700, 201_000, 999_700, 12_345_678, null].map(bytes);
  expect(shown).toEqual(["0 B", "999 B", "1.5 kB", "100 kB", "201 kB", "1.0 MB", "12 MB", "–"]);
});
