/** When a training ends before all its epochs: sentences with blanks, and what they would have done to earlier runs. */
import type { ReactNode } from "react";
import type { EndingTrial, Setting, TrainingSettings } from "../../api/client";
import { passage } from "../../domain/guide";
import { mayEndEarly, type SettingValue, settingNow, trialWords } from "../../domain/trainingSettings";
import { Help } from "../../parts/Help";
import { useNumberText } from "../../parts/useNumberText";

interface Props {
  table: readonly Setting[];
  settings: TrainingSettings;
  onSetting: (name: string, value: SettingValue) => void;
  trial: EndingTrial | undefined;
}

/** What is put into a sentence when it is switched on. */
const FIRST: Record<string, SettingValue> = {
  end_when: "validation-loss",
  reach: "validation-accuracy",
  time_limit: 10,
};

export function EndingFields({ table, settings, onSetting, trial }: Props) {
  const blank = { table, settings, onSetting };
  const falls = (figure: string) => figure.endsWith("loss");
  return (
    <fieldset className="mt-3 border-t border-hairline pt-2" data-testid="ending">
      <legend className="float-left mb-1 w-full font-semibold">When it ends</legend>
      <p className="clear-both text-sm text-quiet">
        <Help guide={passage("training", "Ends without progress of")}>
          When all epochs are done, or early. Where the rate falls, it then falls to zero within a tenth of
          the epochs.
        </Help>
      </p>
      <Sentence {...blank} name="end_when" off="none" label="End without progress">
        when <Figure {...blank} name="end_when" /> has not {falls(settings.end_when) ? "fallen" : "risen"} by{" "}
        <Blank {...blank} name="end_change" /> within <Blank {...blank} name="end_within" /> epochs, never
        before epoch <Blank {...blank} name="end_not_before" />
      </Sentence>
      <Sentence {...blank} name="reach" off="none" label="End when reached">
        when <Figure {...blank} name="reach" /> {falls(settings.reach) ? "falls" : "rises"} to{" "}
        <Blank {...blank} name="reach_value" />
      </Sentence>
      <Sentence {...blank} name="time_limit" off={0} label="End after a time">
        after <Blank {...blank} name="time_limit" /> minutes, with the epoch under way
      </Sentence>
      {mayEndEarly(settings) && trial && (
        <div className="mt-1 text-sm" data-testid="ending-trial">
          <p className="text-quiet">{trialWords(trial)}</p>
          {trial.doubts.map((doubt) => (
            <p key={doubt} className="text-wrong">
              {doubt}
            </p>
          ))}
        </div>
      )}
    </fieldset>
  );
}

interface BlankProps extends Omit<Props, "trial"> {
  name: string;
}

/** A condition that is off reads as what it would say. */
function Sentence(props: BlankProps & { off: SettingValue; label: string; children: ReactNode }) {
  const { settings, onSetting, name, off, label } = props;
  const on = settingNow(settings, name) !== off;
  return (
    <div className="mt-1 flex items-baseline gap-2">
      <input
        type="checkbox"
        aria-label={label}
        checked={on}
        onChange={() => onSetting(name, on ? off : (FIRST[name] ?? off))}
        className="accent-choice"
      />
      {on ? (
        <p className="leading-7">{props.children}</p>
      ) : (
        <span className="text-quiet">{label.toLowerCase()}</span>
      )}
    </div>
  );
}

function Figure({ table, settings, onSetting, name }: BlankProps) {
  const entry = table.find((setting) => setting.name === name);
  return (
    <select
      aria-label={entry?.words}
      value={String(settingNow(settings, name))}
      onChange={(event) => onSetting(name, event.target.value)}
      className="rounded-control border border-edge bg-surface px-1 py-0.5"
    >
      {entry?.choices
        .filter((choice) => choice.value !== "none")
        .map((choice) => (
          <option key={choice.value} value={choice.value} title={choice.does}>
            {choice.words}
          </option>
        ))}
    </select>
  );
}

function Blank({ table, settings, onSetting, name }: BlankProps) {
  const entry = table.find((setting) => setting.name === name);
  const range = {
    min: entry?.low ?? 0,
    max: entry?.high ?? 0,
    above: entry?.above ?? false,
    step: entry?.kind === "whole" ? 1 : ("any" as const),
  };
  const { good, mend, field } = useNumberText(Number(settingNow(settings, name)), range, (value) =>
    onSetting(name, value),
  );
  return (
    <input
      {...field}
      aria-label={entry?.words}
      aria-invalid={!good}
      title={good ? entry?.help : mend}
      className="rounded-control w-16 border border-edge bg-surface px-1 py-0.5 text-right font-mono aria-invalid:border-wrong"
    />
  );
}
