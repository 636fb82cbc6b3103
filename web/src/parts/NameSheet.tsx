/** Asks for one name. */
import { Field, Input, Label } from "@headlessui/react";
import { type FormEvent, useState } from "react";
import { asProblemOf } from "../api/client";
import { Button } from "./Button";
import { Sheet } from "./Sheet";

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
  const [problem, setProblem] = useState("");
  const [busy, setBusy] = useState(false);
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    setBusy(true);
    try {
      await onName(name);
      onClose();
    } catch (error) {
      setProblem(asProblemOf(error).message);
      setBusy(false);
    }
  };
  return (
    <Sheet title={title} open onClose={onClose}>
      <form onSubmit={submit}>
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
        <p role="alert" className="mt-1 min-h-5 text-wrong">
          {problem}
        </p>
        <div className="mt-2 flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="main" type="submit" disabled={busy || !name.trim()}>
            {action}
          </Button>
        </div>
      </form>
    </Sheet>
  );
}
