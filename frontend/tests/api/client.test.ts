import { afterEach, describe, expect, it, vi } from "vitest";

const seen: { url: string; key: string | null }[] = [];

vi.stubGlobal("fetch", (request: Request) => {
  seen.push({ url: new URL(request.url).pathname, key: request.headers.get("Idempotency-Key") });
  return Promise.resolve(Response.json({}));
});
const Plain = globalThis.Request;
vi.stubGlobal(
  "Request",
  class extends Plain {
    constructor(input: RequestInfo | URL, init?: RequestInit) {
      super(typeof input === "string" ? new URL(input, "http://localhost") : input, init);
    }
  },
);
const { api } = await import("../../src/api/client");
const launch = (text: string) => api.POST("/api/v1/own-code/help", { body: { runs: [text], folder: "" } });

describe("what is posted", () => {
  afterEach(() => {
    vi.useRealTimers();
    seen.length = 0;
  });

  it("has one key for a double click, and another for another wish or another time", async () => {
    vi.useFakeTimers({ now: 1_000_000, toFake: ["Date"] });
    await Promise.all([launch("a: 0 .. 1"), launch("a: 0 .. 1"), launch("b: 0 .. 1")]);
    vi.setSystemTime(1_010_000);
    await launch("a: 0 .. 1");
    const keys = seen.map((s) => s.key);
    expect(keys.every((key) => key !== null && key.length > 10)).toBe(true);
    expect(keys[0]).toBe(keys[1]);
    expect(new Set(keys).size).toBe(3);
  });
});
