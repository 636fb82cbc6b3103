/** One tried picture: the answer as a sentence, then all classes ranked on one common ruler. */
import { type ReactNode, useEffect, useState } from "react";
import { useNavigate } from "react-router";
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
import { NearestToTried } from "../field/NearestLearnt";
import { Beside, BesidePicker, type Second } from "./Beside";

const ROOM = 360;
const SMALL_ROOM = 170;

/** What was tried in this window; nothing of it is stored. */
export interface Tried {
  readonly key: string;
  /** As it was dropped or chosen, with the folders it lay in. */
  readonly path: string;
  readonly url: string;
  readonly file: File;
  readonly answer: Answer;
  /** The class that a table says. */
  readonly truth?: string | undefined;
}

interface Props {
  tried: Tried;
  model: Model;
  /** All that were tried. */
  all: readonly Tried[];
  second: Second;
  onSecond: (second: Second) => void;
  /** How a model's answers are read. */
  askedOf: (model: Model) => Asked;
}

export function TriedPicture({ tried, model, all, second, onSecond, askedOf }: Props) {
  const { answer } = tried;
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
  const picker = (
    <BesidePicker
      model={model}
      pictures={all.filter((entry) => entry !== tried)}
      second={second}
      onChange={onSecond}
    />
  );
  if (second && "picture" in second && second.picture !== tried)
    return (
      <TwoPictures both={[tried, second.picture]} model={model} asked={askedOf(model)} picker={picker} />
    );
  const other = second && "model" in second ? second.model : undefined;
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-3 overflow-y-auto px-6 py-4">
      <AnswerHead tried={tried} asked={askedOf(model)} />
      <div className="flex items-start gap-8">
        <Pictured url={tried.url} answer={answer} room={ROOM}>
          <HeatOverlay heat={heat} />
        </Pictured>
        <div className="min-w-0 flex-1">
          <div className="flex gap-8">
            <div className="min-w-0 flex-1">
              {other && <p className="mb-2 font-semibold">Run {answer.run}</p>}
              <AnswerRuler tried={tried} model={model} asked={askedOf(model)} />
            </div>
            {other && <Beside tried={tried} model={other} asked={askedOf(other)} />}
          </div>
          <div className="mt-4 flex flex-wrap items-start justify-between gap-x-4 gap-y-2">
            <div className="w-[232px]">
              <HeatControls model={model} heat={heat} labelled={false} />
            </div>
            {picker}
          </div>
        </div>
      </div>
      <Nearest tried={tried} model={model} />
    </div>
  );
}

/** What was asked and who answered, then the answer as a sentence. */
function AnswerHead({ tried: { path, answer }, asked }: { tried: Tried; asked: Asked }) {
  const { unsure, text } = spoken(answer, asked);
  return (
    <div>
      <p className="text-sm text-quiet">
        {path}, answered by run {answer.run}, weights{" "}
        <span className="font-mono">{answer.digest?.slice(0, 10)}</span>
        {answer.seconds !== null && ` in ${milliseconds(answer.seconds)}`}
      </p>
      <p
        data-testid="answer"
        className={`text-[26px] leading-tight font-semibold ${unsure ? "text-wrong" : ""}`}
      >
        {text}
      </p>
    </div>
  );
}

function AnswerRuler({ tried, model, asked }: { tried: Tried; model: Model; asked: Asked }) {
  const { classes } = usePlace();
  const { order, threshold } = spoken(tried.answer, asked);
  return <Ruler order={order} sign={signsOf(model, classes)} threshold={threshold} />;
}

/** The pictures that it learnt from and that are most like this one; a click shows one among those like it. */
function Nearest({ tried, model }: { tried: Tried; model: Model }) {
  const { project, classes } = usePlace();
  const navigate = useNavigate();
  return (
    <NearestToTried
      model={model}
      tried={tried}
      classes={classes}
      onOpen={(id) => void navigate(`/p/${project.id}/rows?like=${id}&sift=order%3Alike`)}
    />
  );
}

interface TwoProps {
  both: readonly [Tried, Tried];
  model: Model;
  asked: Asked;
  picker: ReactNode;
}

/** Two pictures beside each other, answered by one model. */
function TwoPictures({ both, model, asked, picker }: TwoProps) {
  return (
    <div className="min-h-0 flex-1 overflow-y-auto px-6 py-4" data-testid="two-pictures">
      <div className="mb-2 flex justify-end">{picker}</div>
      <div className="grid grid-cols-2 gap-8">
        {both.map((tried) => (
          <section key={tried.key} aria-label={tried.path} className="flex min-w-0 flex-col gap-3">
            <AnswerHead tried={tried} asked={asked} />
            <Pictured url={tried.url} answer={tried.answer} room={SMALL_ROOM} />
            <AnswerRuler tried={tried} model={model} asked={asked} />
          </section>
        ))}
      </div>
    </div>
  );
}

interface PicturedProps {
  url: string;
  answer: Answer;
  /** Of a side, in pixels. */
  room: number;
  children?: ReactNode;
}

/** The picture, dimmed where it does not count. */
function Pictured({ url, answer, room, children }: PicturedProps) {
  const [size, setSize] = useState<{ width: number; height: number }>();
  const [left = 0, top = 0, right = 1, bottom = 1] = answer.kept ?? [];
  const part = left > 0 || top > 0 || right < 1 || bottom < 1;
  const scale = size ? room / Math.max(size.width, size.height) : 0;
  return (
    <div
      className="flex shrink-0 items-center justify-center bg-sunken"
      style={{ width: room, height: room }}
    >
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
