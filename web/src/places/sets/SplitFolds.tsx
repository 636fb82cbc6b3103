/** How training and validation pictures would fall into folds. */
import { useState } from "react";
import type { ClassOf, Split } from "../../api/client";
import { useFolds } from "../../api/ingredientQueries";

interface Props {
  projectId: number;
  classes: readonly ClassOf[];
  split: Split;
}

export function SplitFolds({ projectId, classes, split }: Props) {
  const [count, setCount] = useState(5);
  const folds = useFolds(projectId, split.id, count, split.seed);
  return (
    <section className="mt-2" data-testid="folds">
      <label className="flex items-center gap-2">
        Stratified folds of training and validation
        <input
          type="number"
          min={2}
          max={50}
          value={count}
          onChange={(event) => {
            const wanted = Number(event.target.value);
            if (wanted >= 2 && wanted <= 50) setCount(wanted);
          }}
          className="w-16 border border-edge bg-surface px-1"
        />
      </label>
      {folds.error && (
        <p role="alert" className="text-wrong">
          {folds.error.message}
        </p>
      )}
      {folds.data && (
        <table className="mt-1 text-sm">
          <tbody>
            {folds.data.folds.map((fold, n) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a fold is its number
              <tr key={n} className="border-t border-hairline">
                <th className="pr-3 text-left font-normal">fold {n + 1}</th>
                {classes
                  .filter((entry) => entry.count)
                  .map((entry) => (
                    <td key={entry.id} className="px-2 text-right font-mono" title={entry.name}>
                      {fold[String(entry.id)] ?? 0}
                    </td>
                  ))}
                <td className="pl-3 text-right font-semibold">
                  {Object.values(fold).reduce((sum, x) => sum + x, 0)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
