import type { Evidence } from "../../../src/api/evidence";

/** An answer that says nothing. */
export const NOTHING: Evidence = {
  state: "done",
  message: "",
  trials: 0,
  weighed: "scores",
  explained: 0,
  covered: 0,
  singles: [],
  pairs: [],
  curves: [],
  directions: [],
  findings: [],
  path: [],
  noise: null,
  rungs: [],
  surface: null,
  after: "",
};
