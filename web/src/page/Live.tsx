/** What the camera sees, answered as fast as this device can. */
import { useState } from "react";
import type { Engine } from "../engine/engine";
import { LiveCamera } from "../parts/LiveCamera";
import { frameOf } from "./read";
import { Said } from "./Said";

export function Live({ engine, onKeep }: { engine: Engine; onKeep: (shot: File) => void }) {
  const [wrong, setWrong] = useState<unknown>();
  if (wrong) {
    return (
      <p role="alert" className="text-wrong">
        {String(wrong)} Close the camera, and open it again.
      </p>
    );
  }
  return (
    <LiveCamera
      look="min-h-11 px-4"
      ask={async (video) => {
        const frame = frameOf(engine, video);
        return frame && engine.answer(frame);
      }}
      onKeep={onKeep}
      onFail={setWrong}
    >
      {(answer) => (
        <Said engine={engine} answer={{ ...answer, error: null, calibrated: answer.probabilities }} />
      )}
    </LiveCamera>
  );
}
