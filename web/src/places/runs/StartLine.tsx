/** On the Run sheet: what the training starts from, and a starter that is proposed where few pictures are to be learnt. */
import type { Starter, StartPlan } from "../../api/client";
import { layerCounts, type Start, startWords } from "../../domain/start";

interface Props {
  start: Start | undefined;
  plan: StartPlan | undefined;
  problem: string;
  proposed: Starter | undefined;
  onOpen: () => void;
}

export function StartLine({ start, plan, problem, proposed, onOpen }: Props) {
  const counts = plan && layerCounts(plan);
  const phases = (plan?.phases.length ?? 0) > 1 ? ", two phases" : "";
  const amiss = problem || plan?.failure?.what;
  return (
    <button
      type="button"
      onClick={onOpen}
      data-testid="start-line"
      className="group mt-1 block min-h-6 w-full cursor-pointer text-left text-sm"
    >
      {amiss ? (
        <span className="line-clamp-2 text-wrong" title={amiss}>
          {amiss}
        </span>
      ) : (
        <span title={startWords(start)}>
          <span className="block truncate">{start ? `from ${start.words}` : "starts from nothing"}</span>
          {start && counts && `${counts.taken} of ${counts.all} layers${phases}, `}
          <span className="text-choice group-hover:underline">
            {start || !proposed ? "change" : "few pictures: a starter helps"}
          </span>
        </span>
      )}
    </button>
  );
}
