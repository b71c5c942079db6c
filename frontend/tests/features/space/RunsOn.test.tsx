import { fireEvent, waitFor, within } from "@testing-library/react";
import { expect, it } from "vitest";
import type { Schemas } from "../../../src/api/client";
import type { Cluster } from "../../../src/api/machines";
import { answer, asked, button, field, on, open, press, type } from "../../stand";

const cluster: Cluster = {
  ...{ address: "tcp://head:8786", preferred: true, trouble: "", door: "", cores: 8, taken: 3, machines: [] },
};

it("offers the clusters that are known, that of the server first, and asks for all of it unless told how many", async () => {
  on("GET /clusters", () => [cluster, { ...cluster, address: "tls://far:1", preferred: false, trouble: "gone" }]);
  on("POST /spaces/check", () => answer<Schemas["SpaceView"]>("checked space"));
  open("/p/1/space?search=1");
  const runs = await field<HTMLSelectElement>("Runs on");
  expect([...runs.options].map((option) => option.textContent)).toEqual([
    "this machine",
    "head:8786, 8 cores",
    "tls://far:1, not there",
  ]);
  fireEvent.change(runs, { target: { value: "tls://far:1" } });
  const row = document.querySelector<HTMLElement>('[aria-label="Plan"]')!;
  type(within(row).getByLabelText("Workers"), "");
  await waitFor(async () => expect((await button("Launch")).hasAttribute("disabled")).toBe(false));
  await press("Launch");
  const { plan } = (await asked("POST", "/problems/1/searches")).body as { plan: Record<string, unknown> };
  expect(plan).toMatchObject({ runner: { cluster: "tls://far:1" }, workers: "all" });
});
