/** A switch with its line of help. */
import { Help } from "./Help";

interface Props {
  label: string;
  help: string;
  guide: string;
  on: boolean;
  onChange: (on: boolean) => void;
}

export function Tick({ label, help, guide, on, onChange }: Props) {
  return (
    <label className="mb-1 flex cursor-pointer items-start gap-2" title={help}>
      <input
        type="checkbox"
        checked={on}
        onChange={(event) => onChange(event.target.checked)}
        className="mt-1 accent-choice"
      />
      <span>
        {label}
        <span className="block text-sm text-quiet">
          <Help guide={guide}>{help}</Help>
        </span>
      </span>
    </label>
  );
}
