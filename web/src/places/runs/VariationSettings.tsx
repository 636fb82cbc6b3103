/** What a variation is made of: questions to start from, its strength, when operations happen, and the operations. */
import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/react";
import type { Recipe, Variation } from "../../api/client";
import { useOperations } from "../../api/ingredientQueries";
import { drawable, tidy } from "../../domain/variation";
import { Choice } from "../../parts/Choice";
import { Help } from "../../parts/Help";
import { NumberField } from "../../parts/NumberField";
import { Failed, Reading } from "../../parts/States";
import { OperationList } from "./OperationList";
import { VariationQuestions } from "./VariationQuestions";

interface Props {
  recipe: Recipe;
  onChange: (next: Variation) => void;
}

export function VariationSettings({ recipe, onChange }: Props) {
  const kinds = useOperations();
  const { variation, preprocessing } = recipe;
  if (kinds.error) return <Failed error={kinds.error} onRetry={() => void kinds.refetch()} />;
  if (!kinds.data) return <Reading what="the operations" />;
  return (
    <>
      <Disclosure as="section" className="border-b border-hairline pb-2">
        <DisclosureButton className="w-full cursor-pointer text-left font-semibold text-choice">
          Start from questions about the pictures
        </DisclosureButton>
        <DisclosurePanel className="mt-2">
          <VariationQuestions
            channels={preprocessing.colour === "rgb" ? 3 : 1}
            variation={variation}
            onAnswered={onChange}
          />
        </DisclosurePanel>
      </Disclosure>
      <Strength {...{ variation, onChange }} />
      <WhenItHappens {...{ variation, onChange }} />
      <OperationList
        kinds={kinds.data}
        variation={variation}
        grey={preprocessing.colour === "grey"}
        onChange={onChange}
      />
    </>
  );
}

type PartProps = Pick<Props, "onChange"> & { variation: Variation };

function Strength({ variation, onChange }: PartProps) {
  const strength = variation.strength ?? 1;
  return (
    <div>
      <label className="flex items-center gap-2">
        Strength
        <input
          type="range"
          min={0}
          max={200}
          step={5}
          value={Math.round(strength * 100)}
          onChange={(event) => onChange({ ...variation, strength: Number(event.target.value) / 100 })}
          className="min-w-0 flex-1 accent-choice"
          data-testid="strength"
        />
        <span className="w-10 text-right font-mono">{tidy(strength)}</span>
      </label>
      <p className="text-sm text-quiet">
        <Help guide="variation#strength">How far all ranges reach: 0 changes nothing, 1 is as they say.</Help>
      </p>
    </div>
  );
}

function WhenItHappens({ variation, onChange }: PartProps) {
  const most = drawable(variation.operations);
  return (
    <div>
      <Choice
        label="Happens"
        value={variation.drawn ? "drawn" : "chance"}
        onChange={(way) => onChange({ ...variation, drawn: way === "drawn" ? Math.min(2, most) : 0 })}
        options={[
          { value: "chance", label: "by chance", title: "Each operation by its own chance" },
          { value: "drawn", label: "drawn", title: "A few are drawn afresh for each picture" },
        ]}
      />
      {!!variation.drawn && (
        <>
          <NumberField
            label="How many"
            help={`1 to ${most}, of those switched on`}
            guide="variation#how-many"
            value={variation.drawn}
            min={1}
            max={most}
            onChange={(count) => onChange({ ...variation, drawn: count })}
          />
          <NumberField
            label="Chance for a picture"
            help="That any are drawn for it; 1 varies every picture, 0.5 every other."
            guide="variation#chance-for-a-picture"
            value={variation.drawn_chance ?? 1}
            min={0}
            max={1}
            above
            step="any"
            onChange={(chance) => onChange({ ...variation, drawn_chance: chance })}
          />
          <NumberField
            label="Spread of strength"
            help="How far pictures differ in it, both ways; 0 gives all the same, 0.5 is usual."
            guide="variation#spread-of-strength"
            value={variation.drawn_spread ?? 0}
            min={0}
            max={1}
            step="any"
            onChange={(spread) => onChange({ ...variation, drawn_spread: spread })}
          />
        </>
      )}
    </div>
  );
}
