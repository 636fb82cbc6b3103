/** What the camera sees, answered by a model as fast as it can. */
import type { Answer, Model } from "../../api/client";
import { usePlace } from "../../app/context";
import { type Asked, spoken } from "../../domain/tried";
import { milliseconds } from "../../domain/words";
import { shotOf } from "../../parts/camera";
import { LiveCamera } from "../../parts/LiveCamera";
import { useNotices } from "../../parts/Notices";
import { signsOf } from "../../parts/ProbabilityBars";
import { Ruler } from "../../parts/Ruler";
import { answered } from "./useTrying";

interface Props {
  model: Model;
  asked: Asked;
  onKeep: (shot: File) => void;
  onClose: () => void;
}

export function Live({ model, asked, onKeep, onClose }: Props) {
  const { classes } = usePlace();
  const { fail } = useNotices();
  const ask = async (video: HTMLVideoElement): Promise<Answer | undefined> => {
    if (!video.videoWidth) return undefined;
    const file = await shotOf(video, "frame.jpg", "image/jpeg");
    const [answer] = await answered(model, [{ path: file.name, file }]);
    return answer;
  };
  return (
    <div className="min-h-0 flex-1 overflow-y-auto px-6 py-4">
      <LiveCamera
        ask={ask}
        onKeep={onKeep}
        onFail={(error) => {
          fail(error);
          onClose();
        }}
      >
        {(answer) => {
          const { order, threshold, unsure, text } = spoken(answer, asked);
          return (
            <>
              <p
                data-testid="answer"
                className={`mb-3 text-[22px] leading-tight font-semibold ${unsure ? "text-wrong" : ""}`}
              >
                {text}
              </p>
              <Ruler order={order} sign={signsOf(model, classes)} threshold={threshold} />
              <p className="mt-2 text-sm text-quiet">
                run {answer.run}, weights <span className="font-mono">{answer.digest?.slice(0, 10)}</span>
                {answer.seconds !== null && `, in ${milliseconds(answer.seconds)}`}
              </p>
            </>
          );
        }}
      </LiveCamera>
    </div>
  );
}
