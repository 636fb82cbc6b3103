/** How the page reads its model's answers. */
import type { Asked } from "../domain/tried";
import type { ModelFacts } from "../engine/engine";

export function askedOf(model: ModelFacts): Asked {
  return {
    names: model.classes,
    calibrated: true,
    // Of a class with none the answer is always unsure, and without any never.
    thresholdFor: (place) => (model.unsure_below ? (model.unsure_below[place] ?? Infinity) : 0),
  };
}
