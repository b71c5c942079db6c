import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { TrialDetail } from "../../../src/api/client";
import { No, answer, asked, button, calls, on, open, press, type } from "../../stand";

const detail = answer<TrialDetail>("GET /api/v1/trials/10");

describe("the inspector", () => {
  const begin = async () => {
    const shown = open("/p/1/evidence?search=2&trial=10");
    await waitFor(() => expect(document.querySelector("[data-inspector] h2")).toBeTruthy());
    return { ...shown, drawer: document.querySelector<HTMLElement>("[data-inspector]")! };
  };

  it("shows fold scores, what is recorded beside, settings against the defaults, and where the trial comes from", async () => {
    const { drawer } = await begin();
    const folds = within(drawer).getByLabelText("Fold scores");
    expect(folds.querySelectorAll("tr")).toHaveLength(detail.fits.length);
    expect(drawer.querySelector("[data-recorded-scores]")!.textContent).toMatch(/ROC AUC 0\.\d+/);
    const settings = within(drawer).getByLabelText("Settings");
    expect(settings.textContent).toContain("rate");
    expect(drawer.textContent).toContain(detail.data_hash!.slice(0, 16));
    expect(drawer.textContent).toContain("the defaults, proposed by nobody");
  });

  it("keeps a note and tags", async () => {
    on("PUT /trials/10/remarks", (call) => ({ ...detail, ...call.body }));
    const { drawer } = await begin();
    const save = await button("Save", drawer);
    expect(save.hasAttribute("disabled")).toBe(true);
    type(within(drawer).getByLabelText("Note"), "odd second fold");
    type(within(drawer).getByLabelText("Tags"), "  odd   look ");
    fireEvent.click(save);
    expect((await asked("PUT", "/trials/10/remarks")).body).toEqual({ note: "odd second fold", tags: ["odd", "look"] });
  });

  it("gives the configuration in every format", async () => {
    for (const format of ["json", "yaml", "toml", "python"])
      on(`GET /trials/10/configuration/${format}`, () => ({ text: `as ${format}` }));
    const { drawer } = await begin();
    const shown = () => drawer.querySelector("[data-configuration]")!.textContent;
    await waitFor(() => expect(shown()).toBe("as json"));
    await press("toml", drawer);
    await waitFor(() => expect(shown()).toBe("as toml"));
  });

  it("says when there is no such trial, and can be closed", async () => {
    on("GET /trials/77", () => new No(404, { detail: "There is no trial 77.", field: null, status: 404 }));
    const { where } = open("/p/1/evidence?search=2&trial=77");
    await screen.findByText(/There is no trial 77/);
    await press("Close");
    await waitFor(() => expect(where()).toBe("/p/1/evidence?search=2"));
    expect(
      calls.filter((c) => c.path === "/trials/77"),
      "a no is not asked for again and again",
    ).toHaveLength(1);
  });
});
