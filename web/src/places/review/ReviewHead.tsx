/** What is judged, and how it is shown. */
import type { JudgedSet, Model, Run } from "../../api/client";
import { useAddress } from "../../app/context";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import type { Looking } from "../looks/useLook";
import { ModelPicker } from "./ModelPicker";
import type { View } from "./ReviewPlace";
import { TrainAgain } from "./TrainAgain";

const SETS: readonly { value: JudgedSet; label: string; title?: string }[] = [
  { value: "validation", label: "Validation" },
  { value: "training", label: "Training", title: "Training: the pictures that it learnt from" },
  { value: "outside", label: "No set", title: "No set: labelled pictures in none of its sets" },
  { value: "unlabelled", label: "Unlabelled", title: "Unlabelled: answers without scores" },
];
const VIEWS: readonly { value: View; label: string }[] = [
  { value: "errors", label: "Errors" },
  { value: "sure", label: "How sure" },
  { value: "compare", label: "Compare" },
];

interface Props {
  run: Run;
  model: Model;
  set: JudgedSet;
  view: View;
  looking: Looking;
}

export function ReviewHead({ run, model, set, view, looking }: Props) {
  const [, setAddress] = useAddress();
  const openTest = async () => {
    if (await looking.take()) setAddress({ set: "test", cells: undefined });
  };
  const show = (next: JudgedSet) =>
    setAddress({ set: next === "validation" ? undefined : next, cells: undefined });
  return (
    <div className="flex items-center gap-3 border-b border-hairline px-4 py-1.5">
      <ModelPicker run={run} />
      <Choice<View>
        label="Show"
        hideLabel
        value={view}
        onChange={(next) => setAddress({ view: next === "errors" ? undefined : next })}
        options={VIEWS}
      />
      <TrainAgain run={run} />
      {!model.has_weights && (
        <span className="ml-auto truncate text-quiet">
          Each picture answered by the fold that had not learnt from it
        </span>
      )}
      {view !== "compare" && model.has_weights && (
        <div className="ml-auto flex items-center gap-3">
          {set === "test" && <span className="text-quiet">looked at {plural(model.looks, "time")}</span>}
          {set !== "test" && (
            <Choice<JudgedSet> label="Set" hideLabel value={set} onChange={show} options={SETS} />
          )}
          {set === "test" ? (
            <Button onClick={() => show("validation")}>Back to validation</Button>
          ) : (
            <Button
              onClick={() => void openTest()}
              disabled={!run.counts.test}
              title="Validation chooses, test judges: each look at the test set is counted"
            >
              Look at the test set <span className="text-quiet">({model.looks} so far)</span>
            </Button>
          )}
        </div>
      )}
    </div>
  );
}
