/** The file that comes in, and the questions that it leaves: size, scale, order of channels, fit, classes. */
import { useState } from "react";
import type { NetworkFile, NetworkFileAnswers } from "../../api/client";
import { becomes, numbersOf } from "../../domain/networkFile";
import { Choice } from "../../parts/Choice";
import { NumberField } from "../../parts/NumberField";
import { SentFile } from "../bring-in/SentFile";

export function NetworkFileChoice(props: { first: boolean; onSent: (upload: string, name: string) => void }) {
  return (
    <div>
      <SentFile
        label="A network file"
        words={props.first ? "Choose a file" : "Choose another file"}
        accept=".onnx,.zip"
        main={props.first}
        onSent={props.onSent}
      />
    </div>
  );
}

interface Props {
  found: NetworkFile;
  answers: NetworkFileAnswers;
  onAnswers: (answers: NetworkFileAnswers) => void;
}

export function NetworkFileQuestions({ found, answers, onAnswers }: Props) {
  const change = (part: Partial<NetworkFileAnswers>) => onAnswers({ ...answers, ...part });
  if (!found.asks.includes("preprocessing"))
    return <p className="text-quiet">The file says how pictures are brought to what it takes.</p>;
  return (
    <section aria-label="How pictures are brought to it" className="flex flex-col gap-2">
      <h3 className="font-semibold">The file does not say how pictures are brought to what it takes</h3>
      {found.asks.includes("size") && (
        <NumberField
          label="Side of its pictures"
          help="in pixels, 8 to 512; the file takes any"
          value={answers.size || 64}
          min={8}
          max={512}
          onChange={(size) => change({ size })}
        />
      )}
      <label className="flex flex-col gap-1">
        <span className="text-quiet">Values of a picture become</span>
        <select
          className="rounded-control cursor-pointer border border-edge bg-surface px-1.5 py-1"
          value={answers.scale}
          onChange={(event) => change({ scale: event.target.value as NetworkFileAnswers["scale"] })}
        >
          <option value="unit">0 to 1</option>
          <option value="signed">−1 to 1</option>
          <option value="plain">0 to 255, as they are</option>
          <option value="deviation">0 to 1, less a mean, by a deviation</option>
        </select>
      </label>
      {answers.scale === "deviation" && (
        <>
          <Numbers
            label="Mean of each channel"
            count={found.channels}
            value={answers.mean}
            onChange={(mean) => change({ mean })}
          />
          <Numbers
            label="Deviation of each channel"
            count={found.channels}
            value={answers.deviation}
            onChange={(deviation) => change({ deviation })}
          />
        </>
      )}
      {found.channels === 3 && (
        <Choice
          label="Channels"
          value={answers.blue_first ? "blue" : "red"}
          options={[
            { value: "red", label: "red first" },
            { value: "blue", label: "blue first" },
          ]}
          onChange={(first) => change({ blue_first: first === "blue" })}
        />
      )}
      <Choice
        label="Fit"
        value={answers.fit}
        options={[
          { value: "distort", label: "distort", title: "The whole picture, stretched to the square" },
          { value: "border", label: "border", title: "The whole picture, with a border beside it" },
          { value: "middle", label: "middle", title: "The largest square in its middle" },
        ]}
        onChange={(fit) => change({ fit })}
      />
    </section>
  );
}

interface NumbersProps {
  label: string;
  count: number;
  value: readonly number[];
  onChange: (value: number[]) => void;
}

/** As a person has them: side by side in one line. */
function Numbers({ label, count, value, onChange }: NumbersProps) {
  const [text, setText] = useState(value.slice(0, count).join(", "));
  const good = numbersOf(text, count) !== undefined;
  return (
    <label className="flex flex-col gap-1">
      <span className="text-quiet">{label}</span>
      <input
        value={text}
        aria-invalid={!good}
        onChange={(event) => {
          setText(event.target.value);
          const numbers = numbersOf(event.target.value, count);
          if (numbers) onChange(numbers);
        }}
        className={`rounded-control border bg-surface px-2 py-1 font-mono ${good ? "border-edge" : "border-wrong"}`}
      />
      {!good && <span className="text-sm text-wrong">Give {count} numbers, of values from 0 to 1.</span>}
    </label>
  );
}

interface NamesProps {
  names: readonly string[];
  project: readonly { readonly name: string }[];
  onNames: (names: readonly string[]) => void;
}

export function ClassNames({ names, project, onNames }: NamesProps) {
  return (
    <section aria-label="Classes of its outputs">
      <h3 className="mb-1 font-semibold">Classes in the order of its outputs</h3>
      <datalist id="network-file-classes">
        {project.map((entry) => (
          <option key={entry.name} value={entry.name} />
        ))}
      </datalist>
      <ol>
        {names.map((name, place) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: an output is its place
          <li key={place} className="mb-1 grid grid-cols-[24px_1fr_118px] items-center gap-2">
            <span className="text-right font-mono text-sm text-quiet">{place + 1}</span>
            <input
              list="network-file-classes"
              aria-label={`Class of output ${place + 1}`}
              value={name}
              maxLength={100}
              onChange={(event) => onNames(names.map((own, n) => (n === place ? event.target.value : own)))}
              className="rounded-control min-w-0 border border-edge bg-surface px-2 py-0.5"
            />
            <span className="text-sm text-quiet">{becomes(name, project)}</span>
          </li>
        ))}
      </ol>
    </section>
  );
}
