/** One tried picture: the answer as a sentence, then all classes ranked on one common ruler. */
import { type ReactNode, useEffect, useState } from "react";
import type { Answer, Model } from "../../api/client";
import { FIRST_LOOK, type Looking, useTriedHeatmap } from "../../api/judgingQueries";
import { WHOLE } from "../../domain/area";
import { answerSentence, ranked } from "../../domain/ranking";
import { milliseconds } from "../../domain/words";
import { AreaOverlay } from "../../parts/AreaOverlay";
import { HeatControls, HeatOverlay } from "../field/Heat";
import { Beside, BesidePicker } from "./Beside";
import { Ruler } from "./Ruler";

const ROOM = 360;

/** What was tried in this window; nothing of it is stored. */
export interface Tried {
  readonly key: string;
  /** As it was dropped or chosen, with the folders it lay in. */
  readonly path: string;
  readonly url: string;
  readonly file: File;
  readonly answer: Answer;
}

interface Props {
  tried: Tried;
  model: Model;
  /** The model that answers beside it. */
  other: Model | undefined;
  onOther: (other: Model | undefined) => void;
  calibrated: boolean;
  /** Under which probability an answer of a model is "unsure", for a class by its place. */
  thresholdsOf: (model: Model) => (place: number) => number;
}

export function TriedPicture({ tried, model, other, onOther, calibrated, thresholdsOf }: Props) {
  const { answer } = tried;
  const looked = useLooking(tried, model);
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
  const threshold = thresholdsOf(model)(order[0]?.place ?? 0);
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
        <Pictured url={tried.url} answer={answer}>
          {looked.over}
        </Pictured>
        <div className="min-w-0 flex-1">
          <div className="flex gap-8">
            <div className="min-w-0 flex-1">
              {other && <p className="mb-2 font-semibold">Run {answer.run}</p>}
              <Ruler order={order} model={model} threshold={threshold} />
            </div>
            {other && (
              <Beside
                tried={tried}
                model={other}
                calibrated={calibrated}
                thresholdFor={thresholdsOf(other)}
              />
            )}
          </div>
          <div className="mt-4 flex flex-wrap items-start justify-between gap-x-4 gap-y-2">
            <div className="w-[232px]">{looked.controls}</div>
            <BesidePicker model={model} other={other} onChange={onOther} />
          </div>
        </div>
      </div>
    </div>
  );
}

/** Where the model looks in the picture on show; that stays switched on from picture to picture. */
function useLooking(tried: Tried, model: Model) {
  const [looking, setLooking] = useState<Looking>();
  const [strength, setStrength] = useState(0.7);
  const found = useTriedHeatmap(model, tried, looking);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const typed =
        event.target instanceof Element &&
        event.target.matches("select, textarea, input:not([type=checkbox])");
      if (event.key === "w" && !typed) setLooking((now) => (now ? undefined : FIRST_LOOK));
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  return {
    over: looking && found.data && <HeatOverlay found={found.data} strength={strength} />,
    controls: (
      <HeatControls
        model={model}
        looking={looking}
        found={found.data}
        error={found.error?.message}
        strength={strength}
        labelled={false}
        onLooking={setLooking}
        onStrength={setStrength}
      />
    ),
  };
}

/** The picture, dimmed where it does not count. */
function Pictured({ url, answer, children }: { url: string; answer: Answer; children: ReactNode }) {
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
        {children}
      </div>
    </div>
  );
}
