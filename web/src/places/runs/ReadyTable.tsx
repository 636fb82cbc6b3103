/** The ready networks beside each other: what each takes here, and how often it erred where that was measured. */
import type { Network } from "../../api/client";
import type { Lesson } from "../../domain/network";
import { meanError, meanErrors } from "../../domain/readyNetworks";
import { short } from "../../domain/recipe";
import { bytes, duration, milliseconds } from "../../domain/words";
import { Sheet } from "../../parts/Sheet";

interface Props {
  networks: readonly Network[];
  lesson: Lesson;
  chosen: string;
  onChoose: (name: string) => void;
  onClose: () => void;
}

const NUMBER = "py-1.5 pl-5 text-right font-mono text-sm whitespace-nowrap";
/** Of the largest error. */
const BAR_PX = 80;
const HEAD = "pb-1 pl-5 text-right text-sm font-normal text-quiet align-bottom";

export function ReadyTable({ networks, lesson, chosen, onChoose, onClose }: Props) {
  const measured = networks.find((entry) => meanError(entry) !== undefined);
  const sets = Object.keys(measured?.errors ?? {});
  const means = meanErrors(networks);
  const started = networks.some((entry) => Object.keys(entry.started).length > 0);
  const choose = (name: string) => {
    onChoose(name);
    onClose();
  };
  return (
    <Sheet title="The ready networks" open onClose={onClose} widest>
      <p className="text-quiet">
        For pictures of {lesson.size}×{lesson.size}, in batches of {lesson.batch_size}; times are those
        expected on this machine. Press one to take it.
      </p>
      <table className="mt-3 w-full" data-testid="ready-table">
        <thead>
          <tr className="text-sm text-quiet">
            <th />
            <th colSpan={2} />
            <th colSpan={2} className="border-b border-hairline pl-5 font-normal">
              time here
            </th>
            <th colSpan={2} />
            {measured && (
              <th colSpan={sets.length + 1} className="border-b border-hairline pl-5 font-normal">
                share of wrong answers
              </th>
            )}
          </tr>
          <tr>
            <th className="pb-1 pl-2 text-left text-sm font-normal text-quiet align-bottom">built as</th>
            <th className={HEAD}>parameters</th>
            <th className={HEAD}>multiply-adds</th>
            <th className={HEAD}>an epoch</th>
            <th className={HEAD}>an answer</th>
            <th className={HEAD}>file</th>
            <th className={HEAD}>memory</th>
            {sets.map((name) => (
              <th key={name} className={HEAD}>
                {name}
              </th>
            ))}
            {measured && <th className={`${HEAD} w-[150px] pr-2`}>all together</th>}
          </tr>
        </thead>
        <tbody>
          {networks.map((entry) => (
            <Row
              key={entry.name}
              {...{ entry, sets, means, started }}
              here={entry.name === chosen}
              onChoose={choose}
            />
          ))}
        </tbody>
      </table>
      {measured && (
        <p className="mt-3 max-w-[760px] text-sm text-quiet">
          Measured beforehand on made-up pictures of {sets.length} kinds: {measured.measured.training} to
          learn from, {measured.measured.epochs} epochs, judged on{" "}
          {measured.measured.judged.toLocaleString("en")} others, pooled over {measured.measured.seeds} seeds.
          On your pictures the order may be another.
          {started && (
            <>
              {" "}
              <span className="text-choice">Beside it</span>, the same from the network's starter.
            </>
          )}
        </p>
      )}
      {lesson.pictures === 0 && (
        <p className="mt-1 text-sm text-quiet">
          There are no labelled pictures yet that an epoch could show.
        </p>
      )}
    </Sheet>
  );
}

interface RowProps {
  entry: Network;
  sets: readonly string[];
  means: readonly number[];
  here: boolean;
  /** Any of them has a starter that was measured. */
  started: boolean;
  onChoose: (name: string) => void;
}

function Row({ entry, sets, means, here, started, onChoose }: RowProps) {
  const mean = meanError(entry);
  return (
    <tr
      aria-selected={here}
      onClick={() => onChoose(entry.name)}
      className={`cursor-pointer border-t border-hairline ${here ? "bg-choice-wash" : "hover:bg-sunken"}`}
    >
      <td className="py-1.5 pl-2 whitespace-nowrap">
        <button type="button" className="cursor-pointer font-semibold" onClick={() => onChoose(entry.name)}>
          {entry.name}
        </button>
        {entry.default && <span className="ml-2 text-sm text-quiet">usual</span>}
      </td>
      <td className={NUMBER}>{entry.parameters.toLocaleString("en")}</td>
      <td className={NUMBER}>{short(entry.multiply_adds)}</td>
      <td className={NUMBER}>{entry.epoch_s === null ? "–" : duration(entry.epoch_s)}</td>
      <td className={NUMBER}>{entry.answer_s === null ? "–" : milliseconds(entry.answer_s)}</td>
      <td className={NUMBER}>{bytes(entry.file_bytes)}</td>
      <td className={NUMBER}>{bytes(entry.memory_bytes)}</td>
      {sets.map((name) => (
        <td key={name} className={NUMBER}>
          {entry.errors[name]?.toFixed(3) ?? "–"}
          {started && (
            <span className="ml-2 inline-block w-[5ch] text-choice" title="from its starter">
              {entry.started[name]?.toFixed(3) ?? ""}
            </span>
          )}
        </td>
      ))}
      {mean !== undefined && (
        <td className="py-1.5 pr-2 pl-5">
          <span className="flex items-center justify-end gap-2 font-mono text-sm">
            <span
              className="h-2 bg-choice/70"
              style={{ width: `${(BAR_PX * mean) / Math.max(...means)}px` }}
            />
            <span className={mean === Math.min(...means) ? "font-semibold" : ""}>{mean.toFixed(3)}</span>
          </span>
        </td>
      )}
    </tr>
  );
}
