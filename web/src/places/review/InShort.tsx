/** A judged set in a few sentences, each as a way to the pictures that it is about. */
import { Link } from "react-router";
import type { JudgedSet, Model, Sentence } from "../../api/client";
import { useInShort } from "../../api/judgingQueries";
import { usePlace } from "../../app/context";
import { chanceWords } from "../../domain/matrix";
import { rowsAddress } from "../../domain/siftLine";

const ABOUT: Record<Sentence["about"], string> = {
  confuses: "What it confuses",
  where: "Where it errs",
  next: "What would help",
};

interface Props {
  model: Model;
  set: JudgedSet;
  look: number | undefined;
  known: boolean;
}

export function InShort({ model, set, look, known }: Props) {
  const { data: sentences = [] } = useInShort(model.id, set, look, known);
  if (!sentences.length) return null;
  return (
    <dl
      data-testid="in-short"
      aria-label="In short"
      className="grid grid-cols-3 gap-x-5 border-b border-hairline px-4 py-1.5 text-sm"
    >
      {(["confuses", "where", "next"] as const).map((about) => {
        const told = sentences.filter((entry) => entry.about === about);
        return told.length ? (
          <div key={about}>
            <dt className="inline font-semibold">{ABOUT[about]}. </dt>
            {told.map((entry) => (
              <dd key={entry.words} className="inline">
                <Told entry={entry} />{" "}
              </dd>
            ))}
          </div>
        ) : null;
      })}
    </dl>
  );
}

function Told({ entry }: { entry: Sentence }) {
  const { project, run } = usePlace();
  const chance = entry.p === null ? "" : ` (${chanceWords(entry.p)})`;
  if (!entry.sift) return <span className="text-quiet">{entry.words + chance}</span>;
  const to = rowsAddress(project.id, {
    sift: entry.sift,
    split: run?.split_id ?? undefined,
    run: run?.id,
    like: undefined,
  });
  return (
    <>
      <Link
        to={to}
        className="text-choice hover:underline"
        title="Its pictures in Rows; p is how often chance would give as much"
      >
        {entry.words}
      </Link>
      <span className="text-quiet">{chance}</span>
    </>
  );
}
