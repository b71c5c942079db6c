import { fireEvent, screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { at, called, open, type } from "../stand";

const options = () => screen.queryAllByRole("option");
const find = async (words: string, path = "/p/1/evidence?search=1&view=trials") => {
  const shown = open(path);
  await waitFor(() => expect(document.querySelectorAll("[data-trial]").length).toBeGreaterThan(0));
  fireEvent.keyDown(window, { key: "k", ctrlKey: true });
  type(await screen.findByRole("combobox", { name: "Go to" }), words);
  return shown;
};
const enter = () => fireEvent.keyDown(at("Go to"), { key: "Enter" });

describe("the finder", () => {
  it("goes to a trial by its number", async () => {
    const { where } = await find("trial 3");
    await screen.findByText("Trial 3 of search 1");
    expect(called("GET", "/searches/1/trials").at(-1)!.query.get("where")).toBe("number = 3");
    enter();
    await waitFor(() => expect(where()).toMatch(/^\/p\/1\/evidence\?search=1&trial=\d+$/));
  });

  it("goes to a setting, and tells what it knows nothing of", async () => {
    const { where } = await find("setting");
    const first = options()[0]!.textContent!.replace("setting", "");
    enter();
    await waitFor(() => expect(where()).toBe(`/p/1/space?setting=${first}`));
    fireEvent.keyDown(window, { key: "k", ctrlKey: true });
    type(await screen.findByRole("combobox", { name: "Go to" }), "qqq");
    await screen.findByText("Nothing here is called that.");
  });

  it("does what can be done, and says which of its lines is meant", async () => {
    await find("keys");
    const field = at("Go to");
    expect(field.getAttribute("aria-activedescendant")).toBe(options()[0]!.id);
    enter();
    await screen.findByText("Brief, Space, Live, Evidence, Decision");
  });
});
