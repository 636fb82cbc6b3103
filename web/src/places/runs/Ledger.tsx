/** The list of runs, newest first; a click shows one. */
import type { Run } from "../../api/client";
import { scheduleWords } from "../../domain/recipe";
import { variationWords } from "../../domain/variation";
import { duration, score } from "../../domain/words";

interface Props {
  runs: readonly Run[];
  shown: Run | undefined;
  onShow: (run: Run) => void;
}

const HEADS = [
  "run",
  "state",
  "validation accuracy",
  "kept epoch",
  "time",
  "network",
  "variation",
  "schedule",
  "split",
];

export function Ledger({ runs, shown, onShow }: Props) {
  return (
    <table className="w-full border-collapse" aria-label="Ledger">
      <thead className="sticky top-0 bg-ground">
        <tr className="text-left text-sm text-quiet">
          {HEADS.map((head) => (
            <th key={head} className="px-3 py-1 font-normal whitespace-nowrap">
              {head}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {runs.map((run) => {
          const judged = run.judgements.validation;
          return (
            <tr
              key={run.id}
              aria-selected={run.id === shown?.id}
              className={`cursor-pointer border-t border-hairline whitespace-nowrap ${
                run.id === shown?.id ? "bg-choice-wash" : "hover:bg-sunken"
              }`}
              onClick={() => onShow(run)}
            >
              <td className="px-3 py-1">
                <button type="button" className="cursor-pointer font-semibold" onClick={() => onShow(run)}>
                  {run.number}
                </button>
              </td>
              <td className={`px-3 ${run.state === "failed" ? "text-wrong" : ""}`}>
                {run.state === "running"
                  ? `epoch ${run.epochs.length + 1} of ${run.recipe.settings.epochs}`
                  : run.state}
              </td>
              <td className="px-3">
                {judged ? (
                  <>
                    <b>{score(judged.accuracy)}</b>{" "}
                    <span className="text-quiet">
                      {judged.right} of {judged.count}, {score(judged.accuracy_interval[0])}–
                      {score(judged.accuracy_interval[1])}
                    </span>
                  </>
                ) : (
                  "–"
                )}
              </td>
              <td className="px-3">{run.kept_epoch ?? "–"}</td>
              <td className="px-3">{run.train_s === null ? "–" : duration(run.train_s)}</td>
              <td className="px-3">
                {run.recipe.network}, {run.recipe.preprocessing.size} px
              </td>
              <td className="max-w-[180px] truncate px-3" title={variationWords(run.recipe.variation)}>
                {variationWords(run.recipe.variation)}
              </td>
              {/* Takes what is left of the width, so that the table never goes beyond it. */}
              <td className="w-full max-w-0 truncate px-3" title={scheduleWords(run.recipe.settings)}>
                {scheduleWords(run.recipe.settings)}
              </td>
              <td className="px-3">{run.split_number}</td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
