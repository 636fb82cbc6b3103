/** A starting point by questions about the pictures instead of by operations. */
import { useState } from "react";
import { client, need, type Variation } from "../../api/client";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { useNotices } from "../../parts/Notices";

const CAREFUL = {
  mirrored: "no" as "no" | "sideways" | "both",
  turned: "slightly" as "no" | "slightly" | "quarters" | "any",
  size_is_clue: true,
  colour_is_clue: true,
  light_is_even: true,
  sharp: true,
  covered: false,
};
type Answers = typeof CAREFUL;
type YesNo = "size_is_clue" | "colour_is_clue" | "light_is_even" | "sharp" | "covered";

const PLAIN: readonly { key: YesNo; question: string }[] = [
  { key: "size_is_clue", question: "Is size a clue to the class?" },
  { key: "colour_is_clue", question: "Is colour a clue?" },
  { key: "light_is_even", question: "Is the light always the same?" },
  { key: "sharp", question: "Are all pictures equally sharp?" },
  { key: "covered", question: "May a part be hidden?" },
];

interface Props {
  channels: number;
  onAnswered: (variation: Variation) => void;
}

export function VariationQuestions({ channels, onAnswered }: Props) {
  const { fail } = useNotices();
  const [answers, setAnswers] = useState<Answers>(CAREFUL);
  const use = () =>
    need(client.GET("/api/variation-by-answers", { params: { query: { ...answers, channels } } }))
      .then(onAnswered)
      .catch(fail);
  return (
    <fieldset className="flex flex-col gap-1.5" data-testid="questions">
      <legend className="sr-only">Questions about the pictures</legend>
      <Asked question="May it be mirrored?">
        <Choice
          hideLabel
          label="May it be mirrored?"
          value={answers.mirrored}
          onChange={(mirrored) => setAnswers({ ...answers, mirrored })}
          options={[
            { value: "no", label: "no" },
            { value: "sideways", label: "sideways" },
            { value: "both", label: "both ways" },
          ]}
        />
      </Asked>
      <Asked question="May it be turned?">
        <Choice
          hideLabel
          label="May it be turned?"
          value={answers.turned}
          onChange={(turned) => setAnswers({ ...answers, turned })}
          options={[
            { value: "no", label: "no" },
            { value: "slightly", label: "a little" },
            { value: "quarters", label: "quarters" },
            { value: "any", label: "any" },
          ]}
        />
      </Asked>
      {PLAIN.map(({ key, question }) => (
        <Asked key={key} question={question}>
          <Choice
            hideLabel
            label={question}
            value={answers[key] ? "yes" : "no"}
            onChange={(answer) => setAnswers({ ...answers, [key]: answer === "yes" })}
            options={[
              { value: "yes", label: "yes" },
              { value: "no", label: "no" },
            ]}
          />
        </Asked>
      ))}
      <Button className="mt-1 self-start" onClick={() => void use()}>
        Use these answers
      </Button>
    </fieldset>
  );
}

function Asked({ question, children }: { question: string; children: React.ReactNode }) {
  return (
    <div className="flex items-center justify-between gap-2">
      <span className="text-sm">{question}</span>
      {children}
    </div>
  );
}
