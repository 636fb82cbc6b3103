/** One note for several pictures. */
import { useState } from "react";
import { Button } from "../../parts/Button";
import { Sheet } from "../../parts/Sheet";

interface Props {
  title: string;
  onClose: () => void;
  onNote: (note: string) => void;
}

export function NoteSheet({ title, onClose, onNote }: Props) {
  const [note, setNote] = useState("");
  const keep = () => {
    onNote(note.trim());
    onClose();
  };
  return (
    <Sheet title={title} open onClose={onClose}>
      <textarea
        // biome-ignore lint/a11y/noAutofocus: the sheet was opened to write this
        autoFocus
        aria-label="Note"
        rows={4}
        maxLength={5000}
        value={note}
        onChange={(event) => setNote(event.target.value)}
        onKeyDown={(event) => {
          if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) keep();
        }}
        className="rounded-control w-full resize-none border border-edge bg-surface px-2 py-1.5"
      />
      <p className="text-sm text-quiet">It takes the place of the notes they have; empty takes these away.</p>
      <div className="mt-3 flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button kind="main" onClick={keep}>
          {note.trim() ? "Write note" : "Take notes away"}
        </Button>
      </div>
    </Sheet>
  );
}
