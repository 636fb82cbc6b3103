/** One tried picture: the answer as a sentence, then all classes ranked on one common ruler. */
import { useState } from "react";
import type { Answer, Model } from "../../api/client";
import { usePlace } from "../../app/context";
import { WHOLE } from "../../domain/area";
import { answerSentence, ranked } from "../../domain/ranking";
import { milliseconds } from "../../domain/words";
import { AreaOverlay } from "../../parts/AreaOverlay";
import { ProbabilityBars, RulerScale } from "../../parts/ProbabilityBars";

const ROOM = 360;

/** What was tried in this window; nothing of it is stored. */
export interface Tried {
  readonly key: string;
  /** As it was dropped or chosen, with the folders it lay in. */
  readonly path: string;
  readonly url: string;
  readonly answer: Answer;
}

interface Props {
  tried: Tried;
  model: Model;
  calibrated: boolean;
  /** Under which probability an answer of a class, by its place, is "unsure". */
  thresholdFor: (place: number) => number;
}

export function TriedPicture({ tried, model, calibrated, thresholdFor }: Props) {
  const { answer } = tried;
  if (answer.error) {
    return (
      <div role="alert" className="flex flex-1 flex-col items-center justify-center p-10 text-center">
        <h2 className="text-lg font-semibold text-wrong">{answer.name} cannot be read</h2>
        <p>{answer.error}</p>
      </div>
    );
  }
  const order = ranked(
    model.classes.map((entry) => entry.name),
    calibrated ? answer.calibrated : answer.probabilities,
  );
  const threshold = thresholdFor(order[0]?.place ?? 0);
  const sentence = answerSentence(order, threshold);
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-3 overflow-y-auto px-6 py-4">
      <p className="text-sm text-quiet">
        {tried.path}, answered by run {answer.run}, weights{" "}
        <span className="font-mono">{answer.digest?.slice(0, 10)}</span>
        {answer.seconds !== null && ` in ${milliseconds(answer.seconds)}`}
      </p>
      <p
        data-testid="answer"
        className={`-mt-3 text-[26px] leading-tight font-semibold ${sentence.unsure ? "text-wrong" : ""}`}
      >
        {sentence.text}
      </p>
      <div className="flex min-h-0 items-start gap-8">
        <Pictured url={tried.url} answer={answer} />
        <Ruler order={order} model={model} threshold={threshold} />
      </div>
    </div>
  );
}

/** The picture, dimmed where it does not count. */
function Pictured({ url, answer }: { url: string; answer: Answer }) {
  const [size, setSize] = useState<{ width: number; height: number }>();
  const [left = 0, top = 0, right = 1, bottom = 1] = answer.kept ?? [];
  const part = left > 0 || top > 0 || right < 1 || bottom < 1;
  const scale = size ? ROOM / Math.max(size.width, size.height) : 0;
  return (
    <div className="flex size-[360px] shrink-0 items-center justify-center bg-sunken">
      <div
        className="relative"
        style={size ? { width: size.width * scale, height: size.height * scale } : { visibility: "hidden" }}
        title={part ? "Bright is what counted" : undefined}
        data-testid={part ? "kept-part" : undefined}
      >
        <img
          src={url}
          alt={answer.name}
          className="size-full"
          style={{ imageRendering: "pixelated" }}
          onLoad={({ currentTarget: { naturalWidth: width, naturalHeight: height } }) =>
            setSize({ width, height })
          }
        />
        {part && <AreaOverlay area={{ ...WHOLE, keep: [left, top, right, bottom] }} />}
      </div>
    </div>
  );
}

/** All classes on one ruler, with a line where an answer is sure enough. */
function Ruler(props: { order: ReturnType<typeof ranked>; model: Model; threshold: number }) {
  const { order, model, threshold } = props;
  const { classes } = usePlace();
  return (
    <div className="relative min-w-0 flex-1" data-testid="probabilities">
      <div
        className="absolute top-0 bottom-6 w-px bg-choice"
        style={{ left: `${Math.min(1, threshold) * 100}%` }}
        aria-hidden="true"
      />
      <ProbabilityBars
        order={order}
        model={model}
        classes={classes}
        colour={(entry) => (entry.p >= threshold ? "var(--good)" : "var(--edge)")}
      />
      <RulerScale />
    </div>
  );
}
