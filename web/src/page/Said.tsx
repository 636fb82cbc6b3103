/** What the model says: a sentence, and all classes on one ruler. */
import { type Asked, spoken, type TriedFile } from "../domain/tried";
import { milliseconds } from "../domain/words";
import type { Engine } from "../engine/engine";
import { Ruler } from "../parts/Ruler";
import { askedOf } from "./asked";

export function Said({ engine, answer }: { engine: Engine; answer: TriedFile["answer"] }) {
  const { model } = engine;
  const asked: Asked = askedOf(model);
  const { order, threshold, unsure, text } = spoken(answer, asked);
  return (
    <>
      <p
        data-testid="answer"
        className={`mb-3 text-[22px] leading-tight font-semibold ${unsure ? "text-wrong" : ""}`}
      >
        {text}
      </p>
      <Ruler
        order={order}
        sign={(place) => ({ place: model.colours[place], sign: model.signs[place] ?? "" })}
        threshold={threshold}
      />
      {answer.seconds !== null && (
        <p className="mt-2 text-sm text-quiet">in {milliseconds(answer.seconds)}</p>
      )}
    </>
  );
}
