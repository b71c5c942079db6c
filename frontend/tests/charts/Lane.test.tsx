/** A lane by hand: ends are moved by keys and by the pointer, options are weighed, trials are found under the pointer. */
import { fireEvent, render } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { Setting } from "../../src/api/client";
import { Lane } from "../../src/charts/Lane";
import { LANE } from "../../src/charts/laneLayout";
import type { ChoiceParameter, Parameter, RangeParameter } from "../../src/lib/scale";
import { choice, points } from "../making";
import "../stand";

const WIDTH = 900; // what the stand says that everything is wide
const ROOM = WIDTH - 2 * LANE.inset;
const depth: RangeParameter = { kind: "whole range", name: "depth", from: 2, to: 12, scale: "linear" };
const rate: RangeParameter = { kind: "range", name: "rate", from: 1e-3, to: 1e-1, scale: "log" };
const share: RangeParameter = { kind: "range", name: "share", from: 0.2, to: 0.8, scale: "linear" };
const kind = choice("kind", { a: 1, b: 3 });
const setting = (domain: string, limits: string, usual: number) =>
  ({ domain, limits, default: usual }) as unknown as Setting;

function lane(parameter: Parameter, more: Partial<Parameters<typeof Lane>[0]> = {}) {
  const told = { change: vi.fn<(p: Parameter) => void>(), hover: vi.fn(), pick: vi.fn() };
  const view = render(
    <Lane
      parameter={parameter}
      setting={undefined}
      draws={[]}
      points={null}
      scale={{ low: 0, high: 1, larger: true }}
      hovered={null}
      onHover={told.hover}
      onPick={told.pick}
      onChange={told.change}
      {...more}
    />,
  );
  const end = (name: string) => view.container.querySelector<SVGElement>(`[data-end="${parameter.name}-${name}"]`)!;
  const key = (name: string, pressed: string) => {
    told.change.mockClear();
    fireEvent.keyDown(end(name), { key: pressed });
    return told.change.mock.calls[0]?.[0] as RangeParameter | undefined;
  };
  return { ...view, ...told, end, key };
}

/** A DOM without pointer events knows no places: they are those of a mouse. */
const pointer = (kind: "down" | "move" | "up", where: Element, x = 0, y = 0) =>
  fireEvent(where, new MouseEvent(`pointer${kind}`, { bubbles: true, clientX: x, clientY: y }));

describe("the ends of a range", () => {
  it("go a hundredth of the axis with an arrow, eight with a page, and nowhere with other keys", () => {
    const { key } = lane(share); // the axis has room on both sides: 0.092 to 0.908
    expect(key("to", "ArrowRight")!.to).toBeCloseTo(0.81, 2);
    expect(key("to", "ArrowLeft")!.to).toBeCloseTo(0.79, 2);
    expect(key("from", "PageUp")!.from).toBeCloseTo(0.27, 2);
    expect(key("from", "ArrowDown")!.from).toBeCloseTo(0.19, 2);
    expect(key("from", "Home")).toBeUndefined();
  });

  it("stay whole where the parameter is, by its step, and stay apart", () => {
    expect(lane(depth).key("from", "ArrowRight")).toMatchObject({ from: 3, to: 12 });
    expect(lane(depth).key("to", "PageDown")).toMatchObject({ from: 2, to: 8 });
    expect(lane({ ...depth, step: 5 }).key("from", "ArrowRight")!.from).toBe(7);
    const narrow = lane({ ...depth, from: 11 });
    expect(narrow.key("from", "PageUp")!.from, "the lower end never passes the upper one").toBe(11);
    expect(narrow.key("to", "PageDown")!.to).toBe(12);
  });

  it("keep to what the learner accepts, and to what is above nothing on a logarithmic axis", () => {
    const bounded = lane(rate, { setting: setting("1e-3 .. 1e-1 log", "1e-3 .. 0.2", 0.01) });
    let last = rate;
    for (let step = 0; step < 30; step++) {
      bounded.rerender(
        <Lane
          {...{ parameter: last, setting: setting("1e-3 .. 1e-1 log", "1e-3 .. 0.2", 0.01), draws: [], points: null }}
          {...{ scale: { low: 0, high: 1, larger: true }, hovered: null }}
          {...{ onHover: bounded.hover, onPick: bounded.pick, onChange: bounded.change }}
        />,
      );
      last = bounded.key("to", "PageUp") ?? last;
    }
    expect(last.to).toBeLessThanOrEqual(0.2);
    expect(last.to).toBeGreaterThan(0.15);
    expect(bounded.key("from", "PageDown")!.from).toBeGreaterThanOrEqual(1e-3);
  });

  it("follow the pointer, and are told of once it lets go", () => {
    const { end, change, container } = lane(share);
    const x = (value: number) => LANE.inset + ((value - 0.092) / 0.816) * ROOM;
    const handle = end("to");
    pointer("move", handle, x(0.3));
    expect(change, "nothing is held yet").not.toHaveBeenCalled();
    pointer("down", handle, x(0.8));
    for (const value of [0.7, 0.6, 0.5]) pointer("move", end("to"), x(value));
    expect(change).not.toHaveBeenCalled();
    expect(end("to").getAttribute("aria-valuetext"), "what it would be is shown").toBe("0.5");
    pointer("up", end("to"));
    expect(change.mock.calls.map(([p]) => (p as RangeParameter).to)).toEqual([0.5]);
    expect(container.querySelector('[data-end="share-from"]')!.getAttribute("aria-valuetext")).toBe("0.2");
  });

  it("say where they are, where the default is and where the search starts", () => {
    const { end, container } = lane({ ...share, start: 0.4 }, { setting: setting("0.1 .. 0.9", "0 .. 1", 0.5) });
    expect(end("from").getAttribute("aria-label")).toBe("Lower end of share");
    expect(Number(end("from").getAttribute("aria-valuenow"))).toBeLessThan(
      Number(end("to").getAttribute("aria-valuenow")),
    );
    expect([...container.querySelectorAll("title")].map((t) => t.textContent)).toEqual(["start", "default 0.5"]);
    const beyond = lane(share, { setting: setting("0.1 .. 0.9", "0 .. 1", 40) });
    expect(beyond.container.querySelector("title"), "a default that lies off the axis is not drawn").toBeNull();
  });
});

describe("the options of a choice", () => {
  it("show their share, are drawn more and less often, within bounds", () => {
    const { container, change, getByLabelText, rerender } = lane(kind);
    const cells = () => [...container.querySelectorAll(".lane-option")].map((c) => c.textContent);
    expect(cells()).toEqual(["a25 %−+", "b75 %−+"]);
    fireEvent.click(getByLabelText("Draw a more often"));
    const more = change.mock.calls[0]![0] as ChoiceParameter;
    expect(more.options.map((o) => o.weight)).toEqual([2, 3]);
    fireEvent.click(getByLabelText("Draw b less often"));
    expect((change.mock.calls[1]![0] as ChoiceParameter).options.map((o) => o.weight)).toEqual([1, 1.5]);
    const heavy = choice("kind", { a: 16, b: 3 });
    rerender(
      <Lane
        {...{ parameter: heavy, setting: undefined, draws: [], points: null, hovered: null, onChange: change }}
        {...{ scale: { low: 0, high: 1, larger: true }, onHover: () => undefined, onPick: () => undefined }}
      />,
    );
    fireEvent.click(getByLabelText("Draw a more often"));
    expect((change.mock.calls[2]![0] as ChoiceParameter).options[0]!.weight, "sixteen is the most").toBe(16);
  });
});

describe("trials and draws", () => {
  const tried = points([0.2, 0.9, null]); // depth 2, 3 and 4; the last has no score
  const at = (value: number) => LANE.inset + ((value - 0.2) / 13.6) * ROOM; // depth's axis: 2 - 1.8 to 12 + 1.8
  const up = (mean: number) => LANE.floor - mean * (LANE.floor - LANE.top);

  it("are found under the pointer, and opened by a click", () => {
    const { container, hover, pick, rerender } = lane(depth, { points: tried });
    const box = container.firstElementChild!;
    pointer("move", box, at(3) + 2, up(0.9) - 2);
    expect(hover).toHaveBeenLastCalledWith(1);
    pointer("move", box, at(4), up(0.5));
    expect(hover, "what has no score is nowhere").toHaveBeenLastCalledWith(null);
    fireEvent.click(box);
    expect(pick).not.toHaveBeenCalled();
    rerender(
      <Lane
        {...{ parameter: depth, setting: undefined, draws: [], points: tried, hovered: 1 }}
        {...{ scale: { low: 0, high: 1, larger: true }, onHover: hover, onPick: pick, onChange: () => undefined }}
      />,
    );
    fireEvent.click(box);
    expect(pick).toHaveBeenCalledWith(1);
    fireEvent.pointerLeave(box);
    expect(hover).toHaveBeenLastCalledWith(null);
  });

  it("of a distribution stand in columns, as many as fall there", () => {
    const normal: Parameter = { kind: "distribution", name: "shift", family: "normal", arguments: [0, 1] };
    const { container } = lane(normal, { draws: [0, 0.01, 0.02, 1, -1] });
    const heights = [...container.querySelectorAll("rect")].map((r) => Number(r.getAttribute("height")));
    expect(heights).toHaveLength(32);
    expect(Math.max(...heights)).toBe(LANE.floor - LANE.top);
    expect(heights.filter((h) => h > 0).length, "three in the middle may share two columns").toBeLessThanOrEqual(4);
    expect(heights.reduce((sum, h) => sum + h, 0) / Math.max(...heights)).toBeGreaterThan(1.5);
  });
});
