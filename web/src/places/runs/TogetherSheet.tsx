/** A run that is to answer together with others: which of them can. */
import type { Run } from "../../api/client";
import { usePlace } from "../../app/context";
import { runTitle } from "../../domain/runs";
import { type Candidate, TogetherAsking } from "../plans/TogetherAsking";

/** A run, and others that tell the same classes apart by the same view of pictures. */
export function TogetherSheet({ first, onClose }: { first: Run; onClose: () => void }) {
  const { runs } = usePlace();
  const others = runs.filter((run) => run.id !== first.id && mayJoin(first, run));
  return (
    <TogetherAsking
      projectId={first.project_id}
      candidates={[first, ...others].map(candidateOf)}
      chosen={[first.model?.id ?? 0]}
      onClose={onClose}
    />
  );
}

function candidateOf(run: Run): Candidate {
  return { modelId: run.model?.id ?? 0, words: runTitle(run), accuracy: run.validation?.accuracy ?? null };
}

function mayJoin(first: Run, run: Run): boolean {
  const same = (one: unknown, two: unknown) => JSON.stringify(one) === JSON.stringify(two);
  const ids = (of: Run) => of.classes.map((entry) => entry.id).sort((one, two) => one - two);
  return (
    run.state === "ended" &&
    run.model !== null &&
    same(ids(first), ids(run)) &&
    same(first.recipe.preprocessing, run.recipe.preprocessing)
  );
}
