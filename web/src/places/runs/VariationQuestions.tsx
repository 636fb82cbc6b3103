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

const MIRRORED = [
  { value: "no", label: "no" },
  { value: "sideways", label: "sideways" },
  { value: "both", label: "both ways" },
] as const;
const TURNED = [
  { value: "no", label: "no" },
  { value: "slightly", label: "a little" },
  { value: "quarters", label: "quarters" },
  { value: "any", label: "any" },
] as const;
const YES_NO = [
  { value: "yes", label: "yes" },
  { value: "no", label: "no" },
] as const;

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
      <Asked
        question="May it be mirrored?"
        value={answers.mirrored}
        options={MIRRORED}
        onAnswer={(mirrored) => setAnswers({ ...answers, mirrored })}
      />
      <Asked
        question="May it be turned?"
        value={answers.turned}
        options={TURNED}
        onAnswer={(turned) => setAnswers({ ...answers, turned })}
      />
      {PLAIN.map(({ key, question }) => (
        <Asked
          key={key}
          question={question}
          value={answers[key] ? "yes" : "no"}
          options={YES_NO}
          onAnswer={(answer) => setAnswers({ ...answers, [key]: answer === "yes" })}
        />
      ))}
      <Button className="mt-1 self-start" onClick={() => void use()}>
        Use these answers
      </Button>
    </fieldset>
  );
}

interface AskedProps<V extends string> {
  question: string;
  value: V;
  options: readonly { value: V; label: string }[];
  onAnswer: (value: V) => void;
}

function Asked<V extends string>({ question, value, options, onAnswer }: AskedProps<V>) {
  return (
    <div className="flex items-center justify-between gap-2">
      <span className="text-sm">{question}</span>
      <Choice hideLabel label={question} value={value} onChange={onAnswer} options={options} />
    </div>
  );
}
