import { fireEvent, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";
import { No, answer, asked, button, on, open, press } from "../../../stand";

it("says how a folder is allowed where none is", async () => {
  on("GET /own-code/folders", () => []);
  open("/new?what=program");
  await waitFor(() => expect(document.querySelector("[data-nothing-allowed]")).toBeTruthy());
  expect(document.querySelector("[data-nothing-allowed]")!.textContent).toContain("pellux serve --allow");
});

it("makes a problem of an outside loop, once what is missing is there", async () => {
  on("GET /own-code/folders", () => []);
  on("POST /own-code/problems", () => answer("GET /api/v1/problems/1"));
  open("/new?what=outside+loop");
  await waitFor(() => expect(document.querySelector("[data-wrong='score']")).toBeTruthy());
  expect((await button("Make the problem")).hasAttribute("disabled")).toBe(true);
  fireEvent.change(document.querySelector("input[placeholder='recall']")!, { target: { value: "yield" } });
  await press("Make the problem");
  const { body } = await asked("POST", "/own-code/problems");
  expect(body).toMatchObject({ brief: { outside: true, runs: null, "judged by": { score: "yield" } } });
});

it("says what was refused on saving, until something is changed", async () => {
  on("GET /own-code/folders", () => []);
  on("POST /own-code/problems", () => new No(422, { detail: "A score has one word.", field: "score", status: 422 }));
  open("/new?what=outside+loop");
  const score = await waitFor(
    () => document.querySelector("input[placeholder='recall']") ?? Promise.reject(new Error("no score")),
  );
  fireEvent.change(score, { target: { value: "the yield" } });
  await press("Make the problem");
  const said = () => document.querySelector("[data-error='code']")?.textContent ?? "";
  await waitFor(() => expect(said()).toContain("A score has one word."));
  fireEvent.change(score, { target: { value: "yield" } });
  await waitFor(() => expect(said()).toBe(""));
});
