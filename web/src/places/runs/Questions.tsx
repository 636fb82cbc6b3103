/** Questions about the pictures, each with its few answers. */
import type { Answers, YesNo } from "../../domain/variationAnswers";
import { Choice } from "../../parts/Choice";

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

/** With what a wrong answer would do, for whoever sees them for the first time. */
const PLAIN: readonly { key: YesNo; question: string; why: string }[] = [
  {
    key: "size_is_clue",
    question: "Is size a clue to the class?",
    why: "If it is not, pictures are also shown larger and smaller.",
  },
  {
    key: "colour_is_clue",
    question: "Is colour a clue?",
    why: "If it is not, pictures are also shown in other colours.",
  },
  { key: "light_is_even", question: "Is the light always the same?", why: "" },
  { key: "sharp", question: "Are all pictures equally sharp?", why: "" },
  { key: "covered", question: "May a part be hidden?", why: "" },
];

interface Props {
  answers: Answers;
  onAnswers: (answers: Answers) => void;
  /** How many of the plain ones are asked; with few there is room to say why. */
  plain?: number;
  explained?: boolean;
}

export function Questions({ answers, onAnswers, plain = PLAIN.length, explained = false }: Props) {
  const why = (words: string) => (explained ? words : "");
  return (
    <>
      <Asked
        question="May it be mirrored?"
        why={why(
          "Never where left and right tell classes apart, as in writing, signs, or the sides of a body.",
        )}
        value={answers.mirrored}
        options={MIRRORED}
        onAnswer={(mirrored) => onAnswers({ ...answers, mirrored })}
      />
      <Asked
        question="May it be turned?"
        why={why("Any angle where there is no above and below, as in what lies under a microscope.")}
        value={answers.turned}
        options={TURNED}
        onAnswer={(turned) => onAnswers({ ...answers, turned })}
      />
      {PLAIN.slice(0, plain).map(({ key, question, why: words }) => (
        <Asked
          key={key}
          question={question}
          why={why(words)}
          value={answers[key] ? "yes" : "no"}
          options={YES_NO}
          onAnswer={(answer) => onAnswers({ ...answers, [key]: answer === "yes" })}
        />
      ))}
    </>
  );
}

interface AskedProps<V extends string> {
  question: string;
  why: string;
  value: V;
  options: readonly { value: V; label: string }[];
  onAnswer: (value: V) => void;
}

function Asked<V extends string>({ question, why, value, options, onAnswer }: AskedProps<V>) {
  return (
    <div className="flex items-center justify-between gap-3">
      <span className={why ? "" : "text-sm"}>
        {question}
        {why && <span className="block text-sm text-quiet">{why}</span>}
      </span>
      <Choice hideLabel label={question} value={value} onChange={onAnswer} options={options} />
    </div>
  );
}
