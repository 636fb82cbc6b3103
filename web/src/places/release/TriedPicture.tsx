/** One tried picture: the answer as a sentence, then all classes ranked on one common ruler. */
import { type ReactNode, useEffect, useState } from "react";
import type { Answer, Model } from "../../api/client";
import { useTriedHeatmap } from "../../api/judgingQueries";
import { usePlace } from "../../app/context";
import { WHOLE } from "../../domain/area";
import { type Asked, spoken } from "../../domain/tried";
import { milliseconds } from "../../domain/words";
import { AreaOverlay } from "../../parts/AreaOverlay";
import { signsOf } from "../../parts/ProbabilityBars";
import { Ruler } from "../../parts/Ruler";
import { takesKeys } from "../../parts/typing";
import { HeatControls, HeatOverlay, useLooking } from "../field/Heat";
import { Beside, BesidePicker } from "./Beside";

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
  /** How a model's answers are read. */
  askedOf: (model: Model) => Asked;
}

export function TriedPicture({ tried, model, other, onOther, askedOf }: Props) {
  const { answer } = tried;
  const { classes } = usePlace();
  const looks = useLooking();
  const { toggle } = looks;
  // In what cannot be read nothing is looked at.
  const heat = { ...looks, found: useTriedHeatmap(model, tried, answer.error ? undefined : looks.looking) };
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key === "w" && !takesKeys(event.target)) toggle();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [toggle]);
  if (answer.error) {
    return (
      <div role="alert" className="flex flex-1 flex-col items-center justify-center p-10 text-center">
        <h2 className="text-lg font-semibold text-wrong">{answer.name} cannot be read</h2>
        <p>{answer.error}</p>
      </div>
    );
  }
  const { order, threshold, unsure, text } = spoken(answer, askedOf(model));
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-3 overflow-y-auto px-6 py-4">
      <p className="text-sm text-quiet">
        {tried.path}, answered by run {answer.run}, weights{" "}
        <span className="font-mono">{answer.digest?.slice(0, 10)}</span>
        {answer.seconds !== null && ` in ${milliseconds(answer.seconds)}`}
      </p>
      <p
        data-testid="answer"
        className={`-mt-3 text-[26px] leading-tight font-semibold ${unsure ? "text-wrong" : ""}`}
      >
        {text}
      </p>
      <div className="flex min-h-0 items-start gap-8">
        <Pictured url={tried.url} answer={answer}>
          <HeatOverlay heat={heat} />
        </Pictured>
        <div className="min-w-0 flex-1">
          <div className="flex gap-8">
            <div className="min-w-0 flex-1">
              {other && <p className="mb-2 font-semibold">Run {answer.run}</p>}
              <Ruler order={order} sign={signsOf(model, classes)} threshold={threshold} />
            </div>
            {other && <Beside tried={tried} model={other} asked={askedOf(other)} />}
          </div>
          <div className="mt-4 flex flex-wrap items-start justify-between gap-x-4 gap-y-2">
            <div className="w-[232px]">
              <HeatControls model={model} heat={heat} labelled={false} />
            </div>
            <BesidePicker model={model} other={other} onChange={onOther} />
          </div>
        </div>
      </div>
    </div>
  );
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
