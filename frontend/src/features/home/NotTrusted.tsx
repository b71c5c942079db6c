import Button from "@mui/material/Button";
import { useTrust, useWorkspace } from "../../api/workspace";
import { plural } from "../../lib/format";

/** What stands in a workspace from elsewhere and does not run before a person says so. */
export function NotTrusted() {
  const waiting = useWorkspace().data?.not_trusted ?? [];
  const trust = useTrust();
  if (waiting.length === 0) return null;
  return (
    <section className="sheet col padded" aria-label="Own code from elsewhere">
      <h2>This workspace holds code that you did not bring here</h2>
      <p>
        {plural(waiting.length, "piece")} of own code: {waiting.join(", ")}. Until you allow it, none of it runs: no
        fit, no score, no analysis that needs it. Everything else can be looked at. Read it first: learners and metrics
        lie in the workspace&rsquo;s folder <code>own</code>, commands and functions stand in the briefs of their
        problems.
      </p>
      <div className="row">
        <Button variant="outlined" onClick={() => trust.mutate()} disabled={trust.isPending}>
          I have read it: it may run
        </Button>
        {trust.error && (
          <span role="alert" className="ember">
            {trust.error.message}
          </span>
        )}
      </div>
    </section>
  );
}
