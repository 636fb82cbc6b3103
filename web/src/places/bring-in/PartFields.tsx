/** How much of a source is taken. */
import type { Choice } from "../../api/client";
import { NumberField } from "../../parts/NumberField";

interface Props {
  choice: Choice;
  onChoice: (choice: Choice) => void;
}

export function PartFields({ choice, onChoice }: Props) {
  const part = choice.part;
  return (
    <fieldset className="mt-5">
      <legend className="mb-1 font-semibold">How much</legend>
      <label className="mb-1 flex items-center gap-2">
        <input
          type="radio"
          name="part"
          checked={!part}
          onChange={() => onChoice({ ...choice, part: null })}
        />
        everything
      </label>
      <label className="mb-2 flex items-center gap-2">
        <input
          type="radio"
          name="part"
          checked={!!part}
          onChange={() => onChoice({ ...choice, part: { per_class: 300, seed: 1 } })}
        />
        a random part, balanced
      </label>
      {part && (
        <>
          <NumberField
            label="Of each class"
            help="at most; the rest can be brought in later"
            guide="bringing-in#how-much-of-it"
            value={part.per_class}
            min={1}
            max={10_000_000}
            onChange={(per_class) => onChoice({ ...choice, part: { seed: part.seed ?? 1, per_class } })}
          />
          <NumberField
            label="Seed"
            help="the same seed takes the same pictures"
            guide="bringing-in#seed-of-a-part"
            value={part.seed ?? 1}
            min={0}
            max={2_147_483_647}
            onChange={(seed) => onChoice({ ...choice, part: { per_class: part.per_class, seed } })}
          />
        </>
      )}
    </fieldset>
  );
}
