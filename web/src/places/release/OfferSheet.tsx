/** Puts a model on the list: its name, what it is for, and where it errs. */
import { useState } from "react";
import type { Model } from "../../api/client";
import { useOffers } from "../../api/offerQueries";
import { usePlace } from "../../app/context";
import { byName } from "../../domain/offers";
import { Button } from "../../parts/Button";
import { Sheet } from "../../parts/Sheet";
import { TextField } from "../../parts/TextField";
import { OfferFields, type OfferWords } from "./OfferFields";
import { useOffering } from "./useOffering";

interface Props {
  model: Model;
  onClose: () => void;
  onDone: () => void;
}

export function OfferSheet({ model, onClose, onDone }: Props) {
  const { project } = usePlace();
  const offering = useOffering(project.id);
  const named = byName(useOffers(project.id).data ?? []);
  // Proposed until somebody types: the list may come after the sheet.
  const [typed, setTyped] = useState<string | null>(null);
  const name = typed ?? named[0]?.name ?? project.name;
  const [words, setWords] = useState<OfferWords>({ purpose: "", limits: "", note: "" });
  const known = named.find((entry) => entry.name.toLowerCase() === name.trim().toLowerCase());
  const put = () => void offering.offer(model.id, { name, ...words }).then((done) => done && onDone());
  return (
    <Sheet title={`Put the model of run ${model.run_number} on offer`} open onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (name.trim()) put();
        }}
      >
        <TextField label="Name" value={name} most={100} autoFocus onChange={setTyped} />
        <p className="-mt-1 mb-2 text-sm text-quiet">
          {known
            ? `Becomes version ${(known.versions[0]?.version ?? 0) + 1} of ${known.name}.`
            : "A new name: version 1."}
        </p>
        <OfferFields words={words} onChange={setWords} />
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="main" type="submit" disabled={!name.trim()}>
            Put on offer
          </Button>
        </div>
      </form>
    </Sheet>
  );
}
