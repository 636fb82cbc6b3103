/** A class's name, sign and colour. */
import { Field, Input, Label, Radio, RadioGroup } from "@headlessui/react";
import { useState } from "react";
import type { ClassOf } from "../../api/client";
import { COLOURS, classColour, colourPlace } from "../../domain/classColour";
import { ClassSign } from "../../parts/ClassSign";
import { SheetForm } from "../../parts/SheetForm";
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
  const chosen = colour === BY_PLACE ? null : colour;
  return (
    <SheetForm
      title={`Class ${entry.name}`}
      action="Change class"
      ready={!!name.trim() && !!sign.trim()}
      onClose={onClose}
      onSubmit={() => onChange({ name, sign, colour: chosen })}
    >
      <div className="flex gap-3">
        <TextField label="Name" value={name} longest={200} wide onChange={setName} />
        <TextField label="Sign" value={sign} longest={3} onChange={setSign} />
      </div>
      <ColourField value={colour} onChange={setColour} />
      <p className="mt-3 flex items-center gap-2">
        <ClassSign place={chosen ?? colourPlace({ ...entry, colour: null })} sign={sign.trim() || "?"} />
        {name.trim()}
      </p>
    </SheetForm>
  );
}

interface TextFieldProps {
  label: string;
  value: string;
  longest: number;
  /** Takes the room that there is, and the focus when the sheet opens. */
  wide?: boolean;
  onChange: (value: string) => void;
}

function TextField({ label, value, longest, wide = false, onChange }: TextFieldProps) {
  return (
    <Field className={wide ? "flex-1" : ""}>
      <Label className="mb-1 block text-quiet">{label}</Label>
      <Input
        autoFocus={wide}
        value={value}
        maxLength={longest}
        onChange={(event) => onChange(event.target.value)}
        className={`rounded-control border border-edge bg-surface px-2 py-1.5 ${wide ? "w-full" : "w-20"}`}
      />
    </Field>
  );
}

function ColourField({ value, onChange }: { value: number; onChange: (place: number) => void }) {
  return (
    <RadioGroup value={value} onChange={onChange} className="mt-3">
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
  );
}
