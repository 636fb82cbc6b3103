/** A class's name, sign and colour. */
import { Field, Input, Label, Radio, RadioGroup } from "@headlessui/react";
import { type FormEvent, useState } from "react";
import { asProblemOf, type ClassOf } from "../../api/client";
import { COLOURS, classColour, colourPlace } from "../../domain/classColour";
import { Button } from "../../parts/Button";
import { ClassSign } from "../../parts/ClassSign";
import { Sheet } from "../../parts/Sheet";
import type { ClassLook } from "./useMending";

interface Props {
  entry: ClassOf;
  onClose: () => void;
  /** Resolves when it was changed; what it rejects with is shown. */
  onChange: (look: ClassLook) => Promise<void>;
}

/** What the radio group holds for "by its place". */
const BY_PLACE = -1;

export function ClassSheet({ entry, onClose, onChange }: Props) {
  const [name, setName] = useState(entry.name);
  const [sign, setSign] = useState(entry.sign);
  const [colour, setColour] = useState(entry.colour ?? BY_PLACE);
  const [problem, setProblem] = useState("");
  const [busy, setBusy] = useState(false);
  const chosen = colour === BY_PLACE ? null : colour;
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    setBusy(true);
    try {
      await onChange({ name, sign, colour: chosen });
      onClose();
    } catch (error) {
      setProblem(asProblemOf(error).message);
      setBusy(false);
    }
  };
  const box = "rounded-control border border-edge bg-surface px-2 py-1.5";
  return (
    <Sheet title={`Class ${entry.name}`} open onClose={onClose}>
      <form onSubmit={submit}>
        <div className="flex gap-3">
          <Field className="flex-1">
            <Label className="mb-1 block text-quiet">Name</Label>
            <Input
              autoFocus
              value={name}
              maxLength={200}
              onChange={(event) => setName(event.target.value)}
              className={`${box} w-full`}
            />
          </Field>
          <Field>
            <Label className="mb-1 block text-quiet">Sign</Label>
            <Input
              value={sign}
              maxLength={3}
              onChange={(event) => setSign(event.target.value)}
              className={`${box} w-20`}
            />
          </Field>
        </div>
        <RadioGroup value={colour} onChange={setColour} className="mt-3">
          <Label className="mb-1 block text-quiet">Colour on tiles and feet</Label>
          <div className="flex items-center gap-1.5">
            {Array.from({ length: COLOURS }, (_, place) => (
              <Radio
                // biome-ignore lint/suspicious/noArrayIndexKey: the place is what is chosen
                key={place}
                value={place}
                aria-label={`Colour ${place + 1}`}
                className="h-7 w-7 cursor-pointer outline-offset-2 data-checked:outline-2 data-checked:outline-choice"
                style={{ background: classColour(place) }}
              />
            ))}
            <Radio
              value={BY_PLACE}
              className="rounded-control ml-1 cursor-pointer border border-edge px-2 py-1 data-checked:bg-choice data-checked:text-surface"
            >
              by its place
            </Radio>
          </div>
        </RadioGroup>
        <p className="mt-3 flex items-center gap-2">
          <ClassSign place={chosen ?? colourPlace({ ...entry, colour: null })} sign={sign.trim() || "?"} />
          {name.trim()}
        </p>
        <p role="alert" className="mt-1 min-h-5 text-wrong">
          {problem}
        </p>
        <div className="mt-2 flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="main" type="submit" disabled={busy || !name.trim() || !sign.trim()}>
            Change class
          </Button>
        </div>
      </form>
    </Sheet>
  );
}
