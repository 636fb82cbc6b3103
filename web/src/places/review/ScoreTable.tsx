/** Precision, recall and F1 of each class with their counts, and the macro means. */
import type { ClassOf, Judgement, Model } from "../../api/client";
import { colourPlace } from "../../domain/classColour";
import { score } from "../../domain/words";
import { ClassSign } from "../../parts/ClassSign";

interface Props {
  model: Model;
  judgement: Judgement;
  classes: readonly ClassOf[];
}

export function ScoreTable({ model, judgement, classes }: Props) {
  const number = "py-0.5 pl-4 text-right font-mono text-sm";
  return (
    <table className="mt-4 w-full" aria-label="Scores of each class" data-testid="scores">
      <thead>
        <tr className="text-sm text-quiet">
          <th className="text-left font-normal">class</th>
          <th className="pl-4 text-right font-normal" title="right of those predicted as this class">
            precision
          </th>
          <th className="pl-4 text-right font-normal" title="right of those truly of this class">
            recall
          </th>
          <th className="pl-4 text-right font-normal" title="harmonic mean of both">
            F1
          </th>
          <th className="pl-4 text-right font-normal">pictures</th>
        </tr>
      </thead>
      <tbody>
        {model.classes.map((entry, place) => {
          const scores = judgement.classes[place];
          return (
            <tr key={entry.id} className="border-t border-hairline">
              <td>
                <ClassSign
                  place={colourPlace(classes.find((item) => item.id === entry.id))}
                  sign={entry.sign}
                />{" "}
                {entry.name}
              </td>
              <td className={number}>{score(scores?.precision)}</td>
              <td className={number}>{score(scores?.recall)}</td>
              <td className={number}>{score(scores?.f1)}</td>
              <td className={number}>{scores?.count}</td>
            </tr>
          );
        })}
      </tbody>
      <tfoot>
        <tr className="border-t border-edge font-semibold">
          <td>macro</td>
          <td className={number}>{score(judgement.macro_precision)}</td>
          <td className={number}>{score(judgement.macro_recall)}</td>
          <td className={number}>{score(judgement.macro_f1)}</td>
          <td className={number}>{judgement.count}</td>
        </tr>
      </tfoot>
    </table>
  );
}
