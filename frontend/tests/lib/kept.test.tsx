import { expect, it, vi } from "vitest";
import { dropDraft, keepDraft, readDraft } from "../../src/lib/kept";

it("a draft is kept as long as what it rests on stands", () => {
  keepDraft("brief", "1", { target: "warm" });
  expect(readDraft("brief", "1")).toEqual({ target: "warm" });
  expect(readDraft("brief", "2")).toBeNull();
  dropDraft("brief");
  expect(readDraft("brief", "1")).toBeNull();
});

it("a store that is full or holds something else costs nothing but the draft", () => {
  localStorage.setItem("brief", "[1, 2");
  expect(readDraft("brief", "1")).toBeNull();
  localStorage.setItem("brief", '"text"');
  expect(readDraft("brief", "1")).toBeNull();
  const full = vi.spyOn(Storage.prototype, "setItem").mockImplementation(() => {
    throw new DOMException("full", "QuotaExceededError");
  });
  expect(() => keepDraft("brief", "1", {})).not.toThrow();
  full.mockRestore();
});
