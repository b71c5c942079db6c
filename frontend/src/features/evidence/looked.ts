import type { Problem, Search } from "../../api/client";

/** What every view of Evidence is given. */
export interface Looked {
  problem: Problem;
  search: Search;
  searches: Search[];
  trial: number | null;
  inspect: (id: number | null) => void;
}
