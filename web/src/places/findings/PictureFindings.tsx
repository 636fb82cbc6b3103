/** What waits to be settled of the picture in the Close-up; of a doubted label both classes, with their most alike. */
import type { ClassOf, PictureFinding } from "../../api/client";
import { usePictureFindings } from "../../api/findingQueries";
import { colourPlace } from "../../domain/classColour";
import { score } from "../../domain/words";
import { ClassSign } from "../../parts/ClassSign";

interface Props {
  projectId: number;
  pictureId: number;
  classes: readonly ClassOf[];
  /** The keys settle findings here; in other fields they mean other things. */
  settled: boolean;
  onOpen: (pictureId: number) => void;
}

export function PictureFindings({ projectId, pictureId, classes, settled, onOpen }: Props) {
  const { data: found = [] } = usePictureFindings(projectId, pictureId);
  if (!found.length) return null;
  return (
    <section className="mb-3 text-sm" aria-label="Findings of this picture" data-testid="picture-findings">
      {found.map((one) =>
        one.doubt ? (
          <Doubt key={one.kind} doubt={one.doubt} {...{ classes, settled, onOpen }} />
        ) : (
          <p key={one.kind} className="text-wrong">
            {one.title}: {one.weight.toFixed(1)} deviations from its middle.
          </p>
        ),
      )}
    </section>
  );
}

interface DoubtProps {
  doubt: NonNullable<PictureFinding["doubt"]>;
  classes: readonly ClassOf[];
  settled: boolean;
  onOpen: (pictureId: number) => void;
}

function Doubt({ doubt, classes, settled, onOpen }: DoubtProps) {
  const sides = [
    { classId: doubt.class_id, p: doubt.p_label, near: doubt.of_label, words: "labelled" },
    { classId: doubt.proposal, p: doubt.p_proposal, near: doubt.of_proposal, words: "answered" },
  ];
  return (
    <>
      {sides.map(({ classId, p, near, words }) => {
        const entry = classes.find((one) => one.id === classId);
        return (
          <div key={words} className="mb-2">
            <p className="flex items-center gap-1">
              {entry && <ClassSign place={colourPlace(entry)} sign={entry.sign} />}
              <b>{entry?.name ?? "a class that is gone"}</b>
              <span className="text-quiet">
                {words}, {score(p)}
              </span>
            </p>
            <div className="mt-1 flex gap-1">
              {near.map((one) => (
                <button
                  key={one.picture_id}
                  type="button"
                  title={`Among the most alike of ${entry?.name ?? "it"}`}
                  aria-label={`One of the most alike of ${entry?.name ?? "it"}`}
                  onClick={() => onOpen(one.picture_id)}
                  className="cursor-pointer"
                >
                  <img
                    src={`/api/thumbnails/${one.sha256}`}
                    alt=""
                    className="size-[60px] bg-sunken object-contain"
                  />
                </button>
              ))}
            </div>
          </div>
        );
      })}
      {settled && (
        <p className="text-quiet">
          Y takes {nameOf(classes, doubt.proposal)}; D says that the label is right.
        </p>
      )}
    </>
  );
}

function nameOf(classes: readonly ClassOf[], classId: number): string {
  return classes.find((one) => one.id === classId)?.name ?? "the proposal";
}
