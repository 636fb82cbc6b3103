/** Asks for one name. */
import { useState } from "react";
import { SheetForm } from "./SheetForm";
import { TextField } from "./TextField";

interface Props {
  title: string;
  label: string;
  action: string;
  initial?: string;
  most?: number;
  onClose: () => void;
  /** Resolves when the name was taken; what it rejects with is shown under the field. */
  onName: (name: string) => Promise<unknown>;
}

export function NameSheet({ title, label, action, initial = "", most = 200, onClose, onName }: Props) {
  const [name, setName] = useState(initial);
  return (
    <SheetForm
      title={title}
      action={action}
      ready={!!name.trim()}
      onClose={onClose}
      onSubmit={() => onName(name)}
    >
      <TextField autoFocus label={label} value={name} most={most} onChange={setName} />
    </SheetForm>
  );
}
