import { render } from "@testing-library/react";
import { expect, it } from "vitest";
import { Asking } from "../../../src/features/live/Asking";

it("says how a fit of this very search is taken", () => {
  const { container } = render(<Asking search={7} />);
  expect(container.textContent).toContain(`${window.location.origin}/api/v1/searches/7/leases`);
});
