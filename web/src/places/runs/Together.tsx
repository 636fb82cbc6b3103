/** Models that answer as one: what each does alone and all do together, and what an answer costs. */
import type { Run } from "../../api/client";
import { milliseconds, score } from "../../domain/words";

type Found = NonNullable<NonNullable<Run["ending"]>["together"]>;

export function Together({ found }: { found: Found }) {
  const total = found.members.reduce((sum, member) => sum + member.parameters, 0);
  return (
    <section className="px-5 py-3" aria-label="What they are together" data-testid="together">
      <table className="border-collapse">
        <thead>
          <tr className="text-left text-sm text-quiet">
            {["", "counts", "accuracy", "loss", "parameters", "an answer"].map((words) => (
              <th key={words} className="px-3 py-1 font-normal">
                {words}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {found.members.map((member) => (
            <tr key={member.number} className="border-t border-hairline">
              <td className="px-3 py-1">
                Run {member.number}
                {member.name && `, ${member.name}`}
              </td>
              <td className="px-3">
                <Share value={member.weight} />
              </td>
              <td className="px-3">{score(member.accuracy)}</td>
              <td className="px-3">{score(member.loss)}</td>
              <td className="px-3">{member.parameters.toLocaleString("en")}</td>
              <td className="px-3">{milliseconds(member.picture_ms / 1000)}</td>
            </tr>
          ))}
          <tr className="border-t-2 border-edge font-semibold">
            <td className="px-3 py-1">Together</td>
            <td />
            <td className="px-3">{score(found.accuracy)}</td>
            <td className="px-3">{score(found.loss)}</td>
            <td className="px-3">{total.toLocaleString("en")}</td>
            <td className="px-3">{milliseconds(found.picture_ms / 1000)}</td>
          </tr>
        </tbody>
      </table>
      <p className="mt-2 max-w-[720px] text-sm text-quiet">
        {found.fitted
          ? "The weights were fitted on the validation pictures and have learnt from them: these figures are of weights fitted on other parts of them, and what is left to judge it by is the test set. "
          : "Every model counts alike. "}
        Where the models disagree most there is most to doubt: in that half of the pictures lie{" "}
        {Math.round(found.doubt)} of 10 wrong answers.
      </p>
    </section>
  );
}

function Share({ value }: { value: number }) {
  return (
    <span className="flex items-center gap-2">
      <span className="h-2 w-20 bg-sunken">
        <span className="block h-full bg-choice" style={{ width: `${100 * value}%` }} />
      </span>
      {score(value)}
    </span>
  );
}
