import Button from "@mui/material/Button";
import { Link, useRouteError } from "react-router";

export function Broken() {
  const error = useRouteError();
  return (
    <main className="stage col" role="alert">
      <h1>This page stopped working</h1>
      <p className="soft">
        Nothing that was recorded is lost. Load the page again; if it happens again, this is what went wrong:
      </p>
      <pre>{error instanceof Error ? error.message : String(error)}</pre>
      <div className="row">
        <Button variant="contained" onClick={() => window.location.reload()}>
          Load again
        </Button>
        <Button component={Link} to="/">
          All problems
        </Button>
      </div>
    </main>
  );
}

export function Missing() {
  return (
    <div className="stage col">
      <h1>There is no page at this address</h1>
      <p>
        <Link to="/">Back to all problems</Link>
      </p>
    </div>
  );
}
