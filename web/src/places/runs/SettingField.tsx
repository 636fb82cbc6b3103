/** A setting of training as the table describes it: a number, a switch, or one of a few. */
import type { Setting, TrainingSettings } from "../../api/client";
import { passage } from "../../domain/guide";
import type { SettingValue } from "../../domain/trainingSettings";
import { Choice } from "../../parts/Choice";
import { Help } from "../../parts/Help";
import { NumberField } from "../../parts/NumberField";

interface Props {
  setting: Setting;
  settings: TrainingSettings;
  onChange: (name: string, value: SettingValue) => void;
}

export function SettingField({ setting, settings, onChange }: Props) {
  const value = (settings as unknown as Record<string, SettingValue>)[setting.name];
  const change = (next: SettingValue) => onChange(setting.name, next);
  switch (setting.kind) {
    case "whole":
    case "number":
      return (
        <NumberField
          label={setting.words}
          help={setting.help}
          guide={passage("training", setting.words)}
          value={Number(value)}
          min={setting.low}
          max={setting.high}
          above={setting.above}
          step={setting.kind === "whole" ? 1 : "any"}
          onChange={change}
        />
      );
    case "switch":
      return (
        <label className="mb-2 flex cursor-pointer items-baseline gap-2">
          <input
            type="checkbox"
            checked={value === true}
            onChange={(event) => change(event.target.checked)}
            className="accent-choice"
          />
          <span>
            {setting.words}{" "}
            <span className="text-sm text-quiet">
              <Help guide={passage("training", setting.words)}>{setting.help}</Help>
            </span>
          </span>
        </label>
      );
    case "choice":
      return setting.choices.length > 4 || setting.name === "keep" ? (
        <ChoiceList setting={setting} value={String(value)} onChange={change} />
      ) : (
        <ChoiceRow setting={setting} value={String(value)} onChange={change} />
      );
  }
}

interface ChoiceProps {
  setting: Setting;
  value: string;
  onChange: (value: string) => void;
}

function ChoiceRow({ setting, value, onChange }: ChoiceProps) {
  return (
    <div className="mb-2">
      <Choice
        label={setting.words}
        value={value}
        onChange={onChange}
        options={setting.choices.map((entry) => ({
          value: entry.value,
          label: entry.words,
          title: entry.does,
        }))}
      />
      <p className="text-sm text-quiet">
        <Help guide={passage("training", setting.words)}>{setting.help}</Help>
      </p>
    </div>
  );
}

/** Where the words are too long to stand side by side. */
function ChoiceList(props: ChoiceProps) {
  return (
    <label className="mb-2 grid grid-cols-[1fr_auto] items-baseline gap-x-2">
      <span>{props.setting.words}</span>
      <select
        value={props.value}
        onChange={(event) => props.onChange(event.target.value)}
        className="rounded-control border border-edge bg-surface px-1.5 py-0.5"
      >
        {props.setting.choices.map((entry) => (
          <option key={entry.value} value={entry.value} title={entry.does}>
            {entry.words}
          </option>
        ))}
      </select>
      <span className="col-span-2 text-sm text-quiet">
        <Help guide={passage("training", props.setting.words)}>
          {props.setting.choices.find((entry) => entry.value === props.value)?.does ?? props.setting.help}
        </Help>
      </span>
    </label>
  );
}
