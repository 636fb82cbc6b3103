/** What it did that labels were mended between two runs: how much is the labels alone, and how much the training. */
import type { Comparison } from "../../api/client";
import { mendingWords } from "../../domain/comparison";
import { plural } from "../../domain/words";

/** Further ones say nothing that is worth their room. */
const MOST = 60;

export function Mending({ found }: { found: Comparison }) {
  const { mending } = found;
  if (!mending) return null;
  const name = (id: number) => found.classes.find((entry) => entry.id === id)?.name ?? "another class";
  const sets = Object.entries(mending.relabelled).map(([set, count]) => `${count} in ${set}`);
  return (
    <section className="mt-4 text-sm" aria-label="What the mending did" data-testid="mending">
      <h3 className="text-base font-semibold">What the mending did</h3>
      <p className="text-quiet">Labels mended between the runs: {sets.join(", ")}.</p>
      <ol className="mt-1">
        {mendingWords(found).map((words) => (
          <li key={words} className="border-t border-hairline py-0.5">
            {words}
          </li>
        ))}
      </ol>
      {mending.pictures.length > 0 && (
        <table className="mt-2 w-full" aria-label={`Mended ${found.set} pictures`}>
          <thead>
            <tr className="text-quiet">
              <th className="text-left font-normal">mended picture</th>
              <th className="text-left font-normal">run {mending.before} said</th>
              <th className="text-left font-normal">run {mending.after} says</th>
            </tr>
          </thead>
          <tbody>
            {mending.pictures.slice(0, MOST).map((one) => (
              <tr key={one.picture_id} className="border-t border-hairline">
                <td>
                  {name(one.label_then)} → {name(one.label_now)}
                </td>
                <td>{name(one.said_then)}</td>
                <td className={one.said_now === one.label_now ? "" : "text-wrong"}>{name(one.said_now)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {mending.pictures.length > MOST && (
        <p className="text-quiet">and {plural(mending.pictures.length - MOST, "other")}</p>
      )}
    </section>
  );
}
