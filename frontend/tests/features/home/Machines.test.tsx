import { screen, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";
import type { Cluster } from "../../../src/api/machines";
import type { Problem } from "../../../src/api/client";
import { No, answer, asked, at, on, open, press, type } from "../../stand";

const machine = {
  ...{ label: "yard-1", address: "tcp://10.0.0.7:4001", cores: 4, memory_mb: 8192, devices: ["0"], taken: 3 },
  ...{ trouble: "", versions: {}, sent_mb: 1.25 },
};
const cluster: Cluster = {
  ...{ address: "tcp://head:8786", preferred: false, trouble: "", door: "10.0.0.5:8790", cores: 8, taken: 3 },
  machines: [
    machine,
    {
      ...machine,
      label: "yard-2",
      address: "tcp://10.0.0.8:4001",
      devices: [],
      taken: 0,
      trouble: "other versions: numpy 2.4 here, 1.9 there",
    },
  ],
};

it("connects a cluster, shows what its machines have and hold, and has done with it", async () => {
  on("GET /problems", () => [answer<Problem>("GET /api/v1/problems/1")]);
  let known: Cluster[] = [];
  on("GET /clusters", () => known);
  on("POST /clusters", ({ body }) => {
    if (body.address !== cluster.address) return new No(409, { detail: "nothing answers there", field: null });
    known = [cluster];
    return cluster;
  });
  on("POST /clusters/forget", () => (known = []));
  open("/");
  await press("Connect a cluster");
  type(at("Address of its scheduler"), "tcp://nowhere:1");
  await press("Connect");
  await screen.findByText("nothing answers there");
  type(at("Address of its scheduler"), " tcp://head:8786 ");
  await press("Connect");
  await screen.findByText("2 machines · 3 of 8 cores taken");
  const rows = [...document.querySelectorAll("tbody tr")].map((row) => row.textContent);
  expect(rows).toEqual([
    "yard-1348.0 GiB01.3 MBmay be used",
    "yard-2048.0 GiB–1.3 MBother versions: numpy 2.4 here, 1.9 there",
  ]);
  await press("forget");
  await waitFor(() => expect(document.querySelector("[data-cluster]")).toBeNull());
  expect((await asked("POST", "/clusters/forget")).body).toEqual({ address: "tcp://head:8786" });
});

it("says what it is for while none is known, and why one cannot be used", async () => {
  on("GET /problems", () => [answer<Problem>("GET /api/v1/problems/1")]);
  on("GET /clusters", () => [{ ...cluster, machines: [], door: "", trouble: "It is not connected." }]);
  open("/");
  await screen.findByText("It is not connected.");
  on("POST /clusters", () => cluster);
  on("GET /clusters", () => []);
  await press("Connect", document.querySelector("[data-cluster]")!);
  await screen.findByText(/Fits run on this machine/);
});
