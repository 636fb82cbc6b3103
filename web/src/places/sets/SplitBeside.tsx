/** Two splits of the same pictures: how many stand in which set of the one and of the other. */
import { useState } from "react";
import type { SetName, Split } from "../../api/client";
import { useSplitsBeside } from "../../api/ingredientQueries";
import { splitName } from "../../domain/splitWords";
import { plural, SETS, setWords } from "../../domain/words";

interface Props {
  projectId: number;
  splits: readonly Split[];
  split: Split;
}

export function SplitBeside({ projectId, splits, split }: Props) {
  const others = splits.filter((entry) => entry.id !== split.id);
  const [chosen, setChosen] = useState(others[0]?.id ?? 0);
  const pairs = useSplitsBeside(projectId, split.id, chosen);
  const of = (first: SetName | null, second: SetName | null) =>
    pairs.data?.pairs.find((x) => x.first === first && x.second === second)?.count ?? 0;
  const moved = pairs.data?.pairs.filter((x) => x.first !== x.second).reduce((sum, x) => sum + x.count, 0);
  return (
    <section className="mt-2" data-testid="beside">
      <label className="flex items-center gap-2">
        Beside
        <select
          value={chosen}
          onChange={(event) => setChosen(Number(event.target.value))}
          className="border border-edge bg-surface px-2 py-0.5"
        >
          {others.map((entry) => (
            <option key={entry.id} value={entry.id}>
              {splitName(entry)}
            </option>
          ))}
        </select>
        {moved !== undefined && <span>{plural(moved, "picture")} stand elsewhere.</span>}
      </label>
      <Pairs of={of} />
    </section>
  );
}

const ROWS = [...SETS, null];

function Pairs({ of }: { of: (first: SetName | null, second: SetName | null) => number }) {
  return (
    <table className="mt-1 text-sm">
      <thead>
        <tr className="text-quiet">
          <th className="pr-3 text-left font-normal">here ↓, there →</th>
          {ROWS.map((name) => (
            <th key={name ?? "none"} className="px-2 text-right font-normal">
              {setWords(name)}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {ROWS.map((first) => (
          <tr key={first ?? "none"} className="border-t border-hairline">
            <th className="pr-3 text-left font-normal">{setWords(first)}</th>
            {ROWS.map((second) => (
              <td
                key={second ?? "none"}
                className={`px-2 text-right font-mono ${first === second ? "text-quiet" : of(first, second) ? "font-semibold" : ""}`}
              >
                {of(first, second)}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
