import Button from "@mui/material/Button";
import { Link } from "react-router";
import type { Problem } from "../../api/client";

/** What a frozen brief says of itself, whatever it is about; `earlier` tells what it has to do with the problem it came from. */
export function Frozen({ problem, earlier }: { problem: Problem; earlier: React.ReactNode }) {
  return (
    <div className="sheet col padded frozen">
      <div className="row">
        <h2 className="grow">This brief is frozen</h2>
        <Button component={Link} to={`/new?from=${problem.id}`} variant="outlined">
          Change as a new problem
        </Button>
      </div>
      <p className="small soft">
        Searches are judged by it. A change makes a new problem that remembers where it came from.
      </p>
      {problem.derived_from && (
        <p className="small" data-derived>
          {earlier} <Link to={`/p/${problem.derived_from}/brief`}>an earlier problem</Link>.
        </p>
      )}
    </div>
  );
}
