/** What is said of a model on offer, in words. */
import { TextField } from "../../parts/TextField";

export interface OfferWords {
  readonly purpose: string;
  readonly limits: string;
  readonly note: string;
}

export function OfferFields(props: { words: OfferWords; onChange: (words: OfferWords) => void }) {
  const { words, onChange } = props;
  return (
    <>
      <TextField
        label="What it is for"
        value={words.purpose}
        most={2000}
        lines={2}
        onChange={(purpose) => onChange({ ...words, purpose })}
      />
      <TextField
        label="What it must not be used for, and where it errs"
        value={words.limits}
        most={2000}
        lines={2}
        onChange={(limits) => onChange({ ...words, limits })}
      />
      <TextField
        label="Note"
        value={words.note}
        most={5000}
        lines={2}
        onChange={(note) => onChange({ ...words, note })}
      />
    </>
  );
}
