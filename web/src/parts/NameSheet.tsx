/** Asks for one name. */
import { Field, Input, Label } from "@headlessui/react";
import { useState } from "react";
import { SheetForm } from "./SheetForm";

interface Props {
  title: string;
  label: string;
  action: string;
  initial?: string;
  onClose: () => void;
  /** Resolves when the name was taken; what it rejects with is shown under the field. */
  onName: (name: string) => Promise<unknown>;
}

export function NameSheet({ title, label, action, initial = "", onClose, onName }: Props) {
  const [name, setName] = useState(initial);
  return (
    <SheetForm
      title={title}
      action={action}
      ready={!!name.trim()}
      onClose={onClose}
      onSubmit={() => onName(name)}
    >
      <Field>
        <Label className="mb-1 block text-quiet">{label}</Label>
        <Input
          autoFocus
          value={name}
          maxLength={200}
          onChange={(event) => setName(event.target.value)}
          className="rounded-control w-full border border-edge bg-surface px-2 py-1.5"
        />
      </Field>
    </SheetForm>
  );
}
