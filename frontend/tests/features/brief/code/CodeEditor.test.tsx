import { fireEvent, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";
import { answer, asked, button, on, open, press } from "../../../stand";

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
