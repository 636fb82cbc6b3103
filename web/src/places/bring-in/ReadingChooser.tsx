/** Where classes are read from, and how much is taken. */
import { Label, Radio, RadioGroup } from "@headlessui/react";
import type { Choice, Plan, Problem, Survey } from "../../api/client";
import { offerOf, offers } from "../../domain/readingOffers";
import { PartFields } from "./PartFields";
import { ReadingFields } from "./ReadingFields";

interface Props {
  survey: Survey;
  choice: Choice;
  examples: Plan["examples"];
  problem: Problem | undefined;
  onChoice: (choice: Choice) => void;
}

export function ReadingChooser(props: Props) {
  const { survey, choice, onChoice } = props;
  const listed = offers(survey, choice);
  return (
    <>
      <RadioGroup
        value={offerOf(listed, choice)}
        onChange={(index: number) => listed[index] && onChoice(listed[index].choice)}
      >
        <Label className="mb-1 block font-semibold">Classes are read from</Label>
        {listed.map((offer, index) => (
          <Radio
            key={`${offer.choice.read_as} ${offer.choice.table}`}
            value={index}
            className="block cursor-pointer border-l-4 border-transparent py-1 pl-2 hover:bg-sunken data-checked:border-choice data-checked:bg-choice-wash"
          >
            <span className="block wrap-anywhere">
              {offer.choice.read_as === "pattern" ? "the file names, by a pattern" : offer.words}
            </span>
            <span className="block text-sm text-quiet">
              {offer.found}
              {index === 0 && offer.found ? " · likeliest" : ""}
            </span>
          </Radio>
        ))}
      </RadioGroup>
      <ReadingFields {...props} />
      <PartFields choice={choice} onChoice={onChoice} />
    </>
  );
}
