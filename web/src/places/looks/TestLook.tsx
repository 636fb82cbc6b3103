/** Beside a Sift that asks about a run: it shows validation, and the test set too once a look was counted. */
import type { Job, Model } from "../../api/client";
import { jobWords } from "../../domain/jobs";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";

interface Props {
  model: Model;
  look: number | undefined;
  judging: Job | undefined;
  onLook: () => void;
}

export function TestLook({ model, look, judging, onLook }: Props) {
  if (judging) return <span className="text-quiet">{jobWords(judging)}</span>;
  if (look !== undefined) {
    return <span className="text-quiet">with the test set, looked at {plural(model.looks, "time")}</span>;
  }
  return (
    <Button
      kind="bare"
      onClick={onLook}
      title="Validation chooses, test judges: each look at the test set is counted"
    >
      Look at the test set too <span className="text-quiet">({model.looks} so far)</span>
    </Button>
  );
}
