import { useFaceOffs } from "../../api/evidence";
import type { Problem } from "../../api/client";
import { FaceOffForm } from "./FaceOffForm";
import { FaceOffSheet } from "./FaceOffSheet";
import type { Looked } from "./looked";

/** Ways to search set against each other: is the clever one worth it here? */
export function FaceOffs({ problem, search }: Looked) {
  const found = useFaceOffs(problem.id);
  return (
    <div className="col far scrolls" data-faceoffs={found.data?.length ?? ""}>
      <FaceOffForm key={search.id} problem={problem} search={search} />
      {found.error && (
        <p role="alert" className="sheet padded ember">
          {found.error.message}
        </p>
      )}
      {found.data?.length === 0 && (
        <p className="soft">
          Nothing was set against each other yet. Two to eight ways to search get the same space, the same budget and
          the same seeds here, run after run in turn; what comes of it is told with what may be concluded from it.
        </p>
      )}
      <FaceOffList problem={problem} />
    </div>
  );
}

/** Those that there are, also of a problem without a search: they can be begun over a plan that was never run. */
export function FaceOffList({ problem }: { problem: Problem }) {
  const found = useFaceOffs(problem.id);
  return found.data?.map((faceoff) => <FaceOffSheet key={faceoff.id} faceoff={faceoff} problem={problem} />);
}
