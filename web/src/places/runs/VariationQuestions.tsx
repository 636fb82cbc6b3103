/** A starting point by questions about the pictures instead of by operations. */
import { useState } from "react";
import type { Variation } from "../../api/client";
import { answeredVariation } from "../../api/ingredientQueries";
import { type Answers, answersOf } from "../../domain/variationAnswers";
import { Button } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";
import { Questions } from "./Questions";

interface Props {
  channels: number;
  variation: Variation;
  onAnswered: (variation: Variation) => void;
}

export function VariationQuestions({ channels, variation, onAnswered }: Props) {
  const { fail } = useNotices();
  // Until something is answered here they are the answers that fit what is set.
  const [answered, setAnswers] = useState<Answers>();
  const answers = answered ?? answersOf(variation);
  const use = () => answeredVariation(answers, channels, variation).then(onAnswered).catch(fail);
  return (
    <fieldset className="flex flex-col gap-1.5" data-testid="questions">
      <legend className="sr-only">Questions about the pictures</legend>
      <Questions answers={answers} onAnswers={setAnswers} />
      <Button className="mt-1 self-start" onClick={() => void use()}>
        Use these answers
      </Button>
    </fieldset>
  );
}
