/** Asked once, before a project's first training: what may happen to its pictures without making labels untrue. */
import { useState } from "react";
import type { Recipe, Variation } from "../../api/client";
import { answeredVariation } from "../../api/ingredientQueries";
import { type Answers, answersOf } from "../../domain/variationAnswers";
import { Button } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";
import { Sheet } from "../../parts/Sheet";
import { Questions } from "./Questions";

interface Props {
  recipe: Recipe;
  /** The variation that the answers allow, with which the training starts. */
  onAnswered: (variation: Variation) => void;
  onPass: () => void;
  onClose: () => void;
}

export function FirstQuestions({ recipe, onAnswered, onPass, onClose }: Props) {
  const { fail } = useNotices();
  const [answers, setAnswers] = useState<Answers>(answersOf(recipe.variation));
  const [busy, setBusy] = useState(false);
  const train = () => {
    setBusy(true);
    return answeredVariation(answers, recipe.preprocessing.colour === "rgb" ? 3 : 1, recipe.variation)
      .then(onAnswered)
      .catch(fail)
      .finally(() => setBusy(false));
  };
  return (
    <Sheet title="Four questions about these pictures" open onClose={onClose} middle>
      <p className="mb-3 text-quiet">
        A training sees each picture a little changed every time. Only you know which changes leave its class
        true. The answers set the variation; there they can be changed later.
      </p>
      <div className="flex flex-col gap-3" data-testid="first-questions">
        <Questions answers={answers} onAnswers={setAnswers} plain={2} explained />
      </div>
      <div className="mt-5 flex gap-2">
        <Button kind="main" disabled={busy} onClick={() => void train()}>
          Train with these answers
        </Button>
        <Button disabled={busy} onClick={onPass}>
          Pass over, and train carefully
        </Button>
      </div>
    </Sheet>
  );
}
