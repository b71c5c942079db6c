/** A lane under hands and keys. */
import { fireEvent, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../../../src/api/client";
import type { Parameter } from "../../../src/lib/scale";
import { answer, button, called, on, open, press, type } from "../../stand";

type SpaceView = Schemas["SpaceView"];
const checked = answer<SpaceView>("checked space");

describe("a lane", () => {
  /** A server that keeps the lanes it was sent last. */
  const begin = async (parameters = checked.parameters as unknown as Parameter[], more: Partial<SpaceView> = {}) => {
    let held: unknown = parameters;
    on("POST /spaces/check", (call) => {
      held = call.body.parameters ?? held;
      const text = call.body.parameters ? JSON.stringify(call.body.parameters) : (call.body.text ?? checked.text);
      return { ...checked, ...more, parameters: held, text };
    });
    open("/p/1/space?search=1");
    await waitFor(async () => expect((await button("Launch")).hasAttribute("disabled")).toBe(false));
  };
  const end = (name: string) => document.querySelector<SVGGElement>(`[data-end="${name}"]`)!;
  const sent = (count: number) =>
    waitFor(() => {
      const all = called("POST", "/spaces/check").filter((c) => c.body.parameters);
      if (all.length < count) throw new Error(`${all.length} changes of lanes`);
      return all.at(-1)!.body.parameters as Record<string, unknown>[];
    });

  it("is moved by arrow keys, a whole number by whole steps, never past its other end", async () => {
    await begin();
    expect([end("depth-from").getAttribute("aria-valuetext"), end("depth-to").getAttribute("aria-valuetext")]).toEqual([
      "2",
      "12",
    ]);
    fireEvent.keyDown(end("depth-from"), { key: "ArrowRight" });
    expect((await sent(1)).find((p) => p.name === "depth")).toMatchObject({ from: 3, to: 12 });
    fireEvent.keyDown(end("depth-from"), { key: "PageUp" });
    const moved = (await sent(2)).find((p) => p.name === "depth") as { from: number; to: number };
    expect(moved.from).toBeGreaterThan(3);
    expect(Number.isInteger(moved.from)).toBe(true);
    for (let i = 3; i < 9; i++) {
      fireEvent.keyDown(end("depth-from"), { key: "PageUp" });
      await sent(i);
    }
    const last = (await sent(8)).find((p) => p.name === "depth") as { from: number; to: number };
    expect(last.from).toBeLessThan(last.to);
  });

  it("is dragged: the number follows the pointer, the server hears of it once", async () => {
    await begin();
    const point = (what: string, x: number) =>
      fireEvent(end("min_leaf-to"), new MouseEvent(what, { bubbles: true, clientX: x }));
    const handle = end("min_leaf-to");
    const before = Number(handle.getAttribute("aria-valuetext"));
    point("pointerdown", 600);
    const seen: number[] = [];
    for (const x of [500, 400, 300, 200]) {
      point("pointermove", x);
      seen.push(Number(end("min_leaf-to").getAttribute("aria-valuetext")));
    }
    expect(seen, "further left is less").toEqual([...seen].sort((a, b) => b - a));
    expect(seen.at(-1)!).toBeLessThan(before);
    expect(called("POST", "/spaces/check").filter((c) => c.body.parameters)).toHaveLength(0);
    point("pointerup", 200);
    const parameters = await sent(1);
    expect(parameters.find((p) => p.name === "min_leaf")!.to).toBe(seen.at(-1));
    expect(
      parameters.find((p) => p.name === "depth"),
      "the other lane stays",
    ).toMatchObject({ from: 2, to: 12 });
  });

  it("of a choice weighs options, and shows what share of the draws each gets", async () => {
    const options = ["relu", "tanh"].map((value) => ({ value, weight: 1 }));
    await begin([
      ...(checked.parameters as unknown as Parameter[]),
      { name: "activation", kind: "choice", options } as Parameter,
    ]);
    const lane = document.querySelector<HTMLElement>('[data-lane="activation"]')!;
    expect(lane.textContent).toContain("50 %");
    await press("Draw tanh more often", lane);
    const weighed = (await sent(1)).find((p) => p.name === "activation")!.options as { weight: number }[];
    expect(weighed.map((o) => o.weight)).toEqual([1, 2]);
    await waitFor(() => expect(lane.textContent).toContain("67 %"));
    type(lane.querySelector("select")!, "1");
    expect((await sent(2)).find((p) => p.name === "activation")!.start).toBe("tanh");
  });

  it("under a switch says when it has a value, and requirements stand below", async () => {
    const hung = {
      name: "slope",
      kind: "range",
      from: 0,
      to: 1,
      scale: "linear",
      condition: "depth > 4",
    } as unknown as Parameter;
    await begin(
      [
        ...(checked.parameters as unknown as Parameter[]),
        hung,
        { kind: "requirement", expression: "depth >= 2 * min_leaf" } as never,
      ],
      {
        parents: { slope: "depth" },
      },
    );
    const lane = document.querySelector<HTMLElement>('[data-lane="slope"]')!;
    expect(lane.querySelector("[data-condition]")!.textContent).toBe("only if depth > 4");
    const order = [...document.querySelectorAll<HTMLElement>("[data-lane]")].map((l) => l.dataset.lane);
    expect(order.indexOf("slope"), "right under its switch").toBe(order.indexOf("depth") + 1);
    expect(document.querySelector("[data-requirements]")!.textContent).toContain("depth >= 2 * min_leaf");
    fireEvent.keyDown(end("depth-from"), { key: "ArrowRight" });
    expect((await sent(1)).at(-1), "a changed lane keeps the requirements").toMatchObject({
      expression: "depth >= 2 * min_leaf",
    });
  });
});
