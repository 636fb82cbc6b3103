/** How many pictures of each class stand in each set, and where that is not what was wanted. */
import type { ClassOf, SetName, Split } from "../../api/client";
import { colourPlace } from "../../domain/classColour";
import { fitWords } from "../../domain/splitWords";
import { percent, SETS } from "../../domain/words";
import { ClassSign } from "../../parts/ClassSign";
import { SetBar } from "../../parts/SetBar";

interface Props {
  classes: readonly ClassOf[];
  split: Split;
}

export function SplitCounts({ classes, split }: Props) {
  const largest = Math.max(1, ...classes.map((entry) => entry.count));
  const total = (set: SetName) =>
    Object.values(split.counts).reduce((sum, entry) => sum + (entry[set] ?? 0), 0);
  const all = SETS.reduce((sum, set) => sum + total(set), 0);
  return (
    <>
      <table className="w-full">
        <thead>
          <tr className="text-left text-sm text-quiet">
            <th className="font-normal">class</th>
            <th className="w-[30%]" aria-label="shares" />
            {SETS.map((set) => (
              <th key={set} className="text-right font-normal">
                {set}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {classes.map((entry) => (
            <ClassRow key={entry.id} entry={entry} split={split} largest={largest} />
          ))}
        </tbody>
        <tfoot>
          <tr className="border-t border-edge font-semibold">
            <td className="py-1" colSpan={2}>
              all
            </td>
            {SETS.map((set) => (
              <td key={set} className="text-right">
                {total(set)} <span className="font-normal text-quiet">{percent(total(set), all)}</span>
              </td>
            ))}
          </tr>
        </tfoot>
      </table>
      <p className="text-sm text-quiet" data-testid="fit">
        {fitWords(split)}
      </p>
    </>
  );
}

function ClassRow({ entry, split, largest }: { entry: ClassOf; split: Split; largest: number }) {
  const of = (set: SetName) => split.counts[String(entry.id)]?.[set] ?? 0;
  return (
    <tr className="border-t border-hairline">
      <td className="py-0.5">
        <ClassSign place={colourPlace(entry)} sign={entry.sign} /> {entry.name}
      </td>
      <td>
        <SetBar
          counts={{ training: of("training"), validation: of("validation"), test: of("test"), none: 0 }}
          whole={largest}
        />
      </td>
      {SETS.map((set) => {
        const met = split.fit.find((x) => x.class_id === entry.id && x.set_name === set);
        return (
          <td
            key={set}
            title={met && `${met.wanted.toFixed(1)} wanted${met.because && `: ${met.because}`}`}
            className={`text-right ${of(set) === 0 && entry.count ? "font-semibold text-wrong" : ""}`}
          >
            {of(set)}
            {met?.because && <span className="ml-1 text-xs text-quiet">of {met.wanted.toFixed(1)}</span>}
          </td>
        );
      })}
    </tr>
  );
}
