/** The training pictures that lie nearest to one as the network sees them, with the labels that it learnt them by. */
import type { UseQueryResult } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import type { ClassOf, Model, Nearest } from "../../api/client";
import { useJudgedSets, useNearest, useTriedNearest } from "../../api/judgingQueries";
import { colourPlace } from "../../domain/classColour";
import { failureOf } from "../../domain/failure";
import { ClassSign } from "../../parts/ClassSign";
import { JudgeButton } from "../looks/JudgeButton";

interface Shared {
  model: Model;
  classes: readonly ClassOf[];
  onOpen: (pictureId: number) => void;
}

export function NearestLearnt(props: Shared & { pictureId: number; look: number | undefined }) {
  const { model, pictureId, look, ...shared } = props;
  const known = useTrainingRead(model);
  const found = useNearest(model, pictureId, look, known ?? false);
  return <NearestRow model={model} known={known} found={found} {...shared} />;
}

/** To a file that is tried and not stored. */
export function NearestToTried(props: Shared & { tried: { readonly key: string; readonly file: File } }) {
  const { model, tried, ...shared } = props;
  const known = useTrainingRead(model);
  const found = useTriedNearest(model, tried, known ?? false);
  return <NearestRow model={model} known={known} found={found} {...shared} />;
}

/** Whether it was judged on what it learnt from, with which its features are kept; undefined while that is read. */
function useTrainingRead(model: Model): boolean | undefined {
  return useJudgedSets(model.id).data?.some((entry) => entry.set === "training");
}

interface RowProps extends Shared {
  known: boolean | undefined;
  found: UseQueryResult<Nearest[]>;
}

function NearestRow({ model, known, found, classes, onOpen }: RowProps) {
  const failure = failureOf(found);
  const section = useRef<HTMLElement>(null);
  // The way to them goes when they are there, and the keys of the Close-up shall not go with it.
  useEffect(() => {
    if (known && document.activeElement === document.body)
      section.current?.closest<HTMLElement>("[role=dialog]")?.focus();
  }, [known]);
  return (
    <section
      ref={section}
      aria-label="Nearest it learnt from"
      data-testid="nearest"
      className="flex h-[104px] w-[520px] max-w-full items-center gap-2 border-t border-hairline px-2"
    >
      <p className="w-[76px] shrink-0 text-sm text-quiet">Nearest that it learnt from</p>
      {!model.has_weights ? (
        <p className="text-sm text-quiet">
          Each fold learnt from other pictures: open the run of the one that held this picture out.
        </p>
      ) : known === false ? (
        <div className="flex items-center gap-2 text-sm">
          <span className="text-quiet">Known when it has read its training pictures again.</span>
          <JudgeButton model={model} set="training" words="Read them" />
        </div>
      ) : failure ? (
        <div className="flex items-center gap-2 text-sm">
          <span>{failure.message}</span>
          <JudgeButton model={model} set="training" words="Read them" />
        </div>
      ) : (
        found.data?.map((one) => (
          <Near key={one.picture_id} one={one} model={model} classes={classes} onOpen={onOpen} />
        ))
      )}
    </section>
  );
}

interface NearProps extends Shared {
  one: Nearest;
}

function Near({ one, model, classes, onOpen }: NearProps) {
  const then = model.classes.find((entry) => entry.id === one.class_then);
  const now = classes.find((entry) => entry.id === one.class_now);
  const mended = one.class_now !== one.class_then;
  const words = `Learnt as ${then?.name ?? "a class that is gone"}${
    one.gone ? ", no longer here" : mended ? `, ${now?.name ?? "unlabelled"} today` : ""
  }; likeness ${one.likeness.toFixed(3)}`;
  return (
    <button
      type="button"
      title={words}
      aria-label={words}
      disabled={one.gone}
      onClick={() => onOpen(one.picture_id)}
      className="w-[62px] cursor-pointer text-left disabled:cursor-default"
    >
      <img src={`/api/thumbnails/${one.sha256}`} alt="" className="size-[62px] bg-sunken object-contain" />
      <span className="flex items-center justify-between text-sm">
        <span>
          {then && <ClassSign place={colourPlace(classes.find((x) => x.id === then.id))} sign={then.sign} />}
          {mended && !one.gone && (
            <>
              {" → "}
              {now ? <ClassSign place={colourPlace(now)} sign={now.sign} /> : "–"}
            </>
          )}
        </span>
        {!mended && <span className="font-mono text-xs text-quiet">{one.likeness.toFixed(2)}</span>}
      </span>
    </button>
  );
}
