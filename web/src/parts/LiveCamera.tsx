/** What the camera sees, answered one frame after another; frozen, gone on with, and kept as a picture. */
import { type ReactNode, type RefObject, useEffect, useRef, useState } from "react";
import { Button } from "./Button";
import { shotOf, useCamera } from "./camera";

interface Props<A> {
  /** An answer about what the camera shows now; undefined while it shows nothing. It may reject. */
  ask: (video: HTMLVideoElement) => Promise<A | undefined>;
  onKeep: (shot: File) => void;
  onFail: (error: unknown) => void;
  /** Of a button. */
  look?: string;
  children: (answer: A) => ReactNode;
}

interface Seen<A> {
  readonly answer: A;
  readonly perSecond: number;
}

/** Answers over which the rate is told. */
const LAST = 20;

/** One answer after another while the camera runs; the next is asked for when one has come. */
function useAnswers<A>({ ask, onFail }: Props<A>, video: RefObject<HTMLVideoElement | null>, rests: boolean) {
  const [seen, setSeen] = useState<Seen<A>>();
  const now = useRef({ ask, onFail });
  now.current = { ask, onFail };
  useEffect(() => {
    if (rests) return;
    let gone = false;
    const times: number[] = [];
    const work = async () => {
      while (!gone) {
        const answer = video.current ? await now.current.ask(video.current) : undefined;
        if (gone) return;
        if (answer) {
          times.push(performance.now());
          if (times.length > LAST) times.shift();
          const took = (times[times.length - 1] ?? 0) - (times[0] ?? 0);
          setSeen({ answer, perSecond: took ? ((times.length - 1) * 1000) / took : 0 });
        }
        // The page draws in between; a camera has no more than one frame for each of its.
        await new Promise(requestAnimationFrame);
      }
    };
    work().catch((error) => {
      if (!gone) now.current.onFail(error);
    });
    return () => {
      gone = true;
    };
  }, [video, rests]);
  return seen;
}

export function LiveCamera<A>(props: Props<A>) {
  const video = useRef<HTMLVideoElement>(null);
  const [frozen, setFrozen] = useState(false);
  const wrong = useCamera(video);
  const seen = useAnswers(props, video, frozen || wrong !== undefined);
  if (wrong) {
    return (
      <p role="alert" className="text-wrong">
        {wrong}
      </p>
    );
  }
  const freeze = () => {
    if (frozen) void video.current?.play();
    else video.current?.pause();
    setFrozen(!frozen);
  };
  const keep = () => {
    if (video.current) shotOf(video.current, "shot.png", "image/png").then(props.onKeep, props.onFail);
  };
  return (
    <section aria-label="Camera" className="flex flex-wrap items-start gap-6">
      <div className="w-full max-w-[400px]">
        <video
          ref={video}
          autoPlay
          muted
          playsInline
          aria-label="What the camera sees"
          className="aspect-4/3 w-full bg-sunken object-contain"
        />
        <div className="mt-2 flex items-center gap-2">
          <Button className={props.look ?? ""} disabled={!seen} onClick={freeze}>
            {frozen ? "Go on" : "Freeze"}
          </Button>
          <Button className={props.look ?? ""} disabled={!seen} onClick={keep}>
            Keep this
          </Button>
          {seen && !frozen && (
            <span className="text-sm text-quiet" data-testid="rate">
              {seen.perSecond.toFixed(0)} answers a second
            </span>
          )}
        </div>
      </div>
      <div className="min-w-[260px] flex-1">
        {seen ? (
          props.children(seen.answer)
        ) : (
          <p className="text-quiet">Waiting for the camera; the browser may ask whether it is allowed.</p>
        )}
      </div>
    </section>
  );
}
