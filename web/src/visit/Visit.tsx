/** Pictures in, answers out, by a model that is asked over the network; fit for a finger. */
import { useCallback, useEffect, useState } from "react";
import { spoken } from "../domain/tried";
import { plural } from "../domain/words";
import { Button } from "../parts/Button";
import { shotOf } from "../parts/camera";
import { LiveCamera } from "../parts/LiveCamera";
import { ChoosePictures, PictureArea, TOUCH } from "../parts/PictureArea";
import { Ruler } from "../parts/Ruler";
import { answersFor, type VisitAnswer, type VisitedModel, visited } from "./asking";

interface Shown {
  readonly url: string;
  readonly answer: VisitAnswer;
}

export function Visit({ slug, token }: { slug: string; token: string }) {
  const [model, setModel] = useState<VisitedModel>();
  const [wrong, setWrong] = useState("");
  const [shown, setShown] = useState<readonly Shown[]>([]);
  const [busy, setBusy] = useState(false);
  const [live, setLive] = useState(false);
  useEffect(() => {
    visited(slug, token).then(setModel, (error) => setWrong(error.message));
  }, [slug, token]);
  const onFiles = useCallback(
    async (files: readonly File[]) => {
      setBusy(true);
      setWrong("");
      try {
        for (const file of files) {
          const [answer] = await answersFor(slug, token, [file]);
          const url = URL.createObjectURL(file);
          if (answer) setShown((now) => [{ url, answer: { ...answer, file: file.name } }, ...now]);
        }
      } catch (error) {
        setWrong(inWords(error));
      }
      setBusy(false);
    },
    [slug, token],
  );
  const askFrame = async (video: HTMLVideoElement) => {
    if (!video.videoWidth) return undefined;
    const [answer] = await answersFor(slug, token, [await shotOf(video, "frame.jpg", "image/jpeg")]);
    return answer;
  };
  return (
    <PictureArea onFiles={onFiles}>
      <header className="border-b border-hairline bg-surface px-4 py-3">
        <h1 className="text-xl font-semibold">{model?.title ?? "A model"}</h1>
        <p className="text-quiet">
          {model ? `Tells ${plural(model.classes.length, "class", "classes")} apart. ` : ""}
          Pictures are sent to be answered, and kept nowhere.
        </p>
      </header>
      <main className="mx-auto flex max-w-[880px] flex-col gap-4 p-4">
        {wrong && (
          <p role="alert" className="text-wrong">
            {wrong}
          </p>
        )}
        {model && (
          <div className="flex flex-wrap items-center gap-2">
            <ChoosePictures onFiles={onFiles} busy={busy} />
            {/* A browser gives the camera to secure addresses alone. */}
            {window.isSecureContext && (
              <Button className={TOUCH} aria-pressed={live} onClick={() => setLive(!live)}>
                {live ? "Close the camera" : "Camera"}
              </Button>
            )}
          </div>
        )}
        {live && (
          <LiveCamera
            look={TOUCH}
            ask={askFrame}
            onKeep={(file) => void onFiles([file])}
            onFail={(error) => setWrong(inWords(error))}
          >
            {(answer) => <Answered answer={answer} />}
          </LiveCamera>
        )}
        {model && !live && !shown.length && (
          <p className="text-quiet">Choose pictures, or drop or paste them anywhere here.</p>
        )}
        {shown.map((one) => (
          <article key={one.url} aria-label={one.answer.file} className="flex flex-wrap items-start gap-6">
            <img
              src={one.url}
              alt={one.answer.file}
              className="max-h-[320px] w-full max-w-[320px] bg-sunken object-contain"
            />
            <div className="min-w-[260px] flex-1">
              <Answered answer={one.answer} />
            </div>
          </article>
        ))}
      </main>
    </PictureArea>
  );
}

const inWords = (error: unknown) => (error instanceof Error ? error.message : String(error));

function Answered({ answer }: { answer: VisitAnswer }) {
  if (answer.error)
    return (
      <p role="alert" className="text-wrong">
        {answer.error}
      </p>
    );
  const names = Object.keys(answer.probabilities);
  const said = {
    error: null,
    seconds: null,
    probabilities: Object.values(answer.probabilities),
    calibrated: [],
  };
  // Whether it is sure enough was decided where it was answered.
  const { order, text } = spoken(said, {
    names,
    calibrated: false,
    thresholdFor: () => (answer.unsure ? Infinity : 0),
  });
  return (
    <>
      <p
        data-testid="answer"
        className={`mb-3 text-[22px] leading-tight font-semibold ${answer.unsure ? "text-wrong" : ""}`}
      >
        {text}
      </p>
      <Ruler
        order={order}
        sign={(place) => ({ place, sign: names[place]?.slice(0, 2) ?? "" })}
        threshold={0}
      />
    </>
  );
}
