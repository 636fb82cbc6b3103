/** Dividing pictures into sets: how at the left; what came of it, and what is wrong with it, beside. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asProblemOf, type ClassOf, client, need, type Split } from "../../api/client";
import { canDivide, countsPictures, type Division, divisionOf, splitOrder } from "../../domain/dividing";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { NumberField } from "../../parts/NumberField";
import { Sheet } from "../../parts/Sheet";
import { type FieldsProps, PictureFields, RandomFields, ShareFields } from "./DivisionFields";
import { SplitView } from "./SplitView";

interface Props {
  projectId: number;
  classes: readonly ClassOf[];
  splits: readonly Split[];
  split: Split | undefined;
  onClose: () => void;
  onDivided: (split: Split) => void;
}

/** Asks for a split; whether it is under way, and what was wrong. */
function useDivide(projectId: number, onDivided: (split: Split) => void) {
  const queries = useQueryClient();
  const [problem, setProblem] = useState("");
  const [busy, setBusy] = useState(false);
  const divide = async (division: Division) => {
    setBusy(true);
    setProblem("");
    try {
      const asked = { params: { path: { project_id: projectId } }, body: splitOrder(division) };
      const made = await need(client.POST("/api/projects/{project_id}/splits", asked));
      await queries.invalidateQueries({ queryKey: ["splits"] });
      onDivided(made);
    } catch (error) {
      setProblem(asProblemOf(error).message);
    }
    setBusy(false);
  };
  return { divide, busy, problem };
}

export function DivideSheet({ projectId, classes, splits, split, onClose, onDivided }: Props) {
  const labelled = classes.reduce((sum, entry) => sum + entry.count, 0);
  const [division, setDivision] = useState(() => divisionOf(split, labelled));
  const { divide, busy, problem } = useDivide(projectId, onDivided);
  return (
    <Sheet title="Divide into sets" open widest onClose={onClose}>
      <div className="grid grid-cols-[300px_1fr] gap-8">
        <div className="flex flex-col gap-2">
          <DivisionForm
            division={division}
            labelled={labelled}
            next={Math.max(0, ...splits.map((entry) => entry.number)) + 1}
            onChange={(change) => setDivision((now) => ({ ...now, ...change }))}
          />
          <Button
            kind="main"
            className="self-start"
            disabled={busy || !canDivide(division, labelled)}
            onClick={() => void divide(division)}
          >
            {split ? "Divide again" : "Divide"}
          </Button>
          <p role="alert" className="text-wrong">
            {problem}
          </p>
        </div>
        {split ? (
          <SplitView
            projectId={projectId}
            classes={classes}
            splits={splits}
            split={split}
            onSplit={onDivided}
            onClose={onClose}
          />
        ) : (
          <p className="text-quiet">
            Not divided yet. Training chooses its weights on the training set, its best epoch on the
            validation set; the test set judges at the end.
          </p>
        )}
      </div>
    </Sheet>
  );
}

interface FormProps extends FieldsProps {
  labelled: number;
  /** The number that the new split will have. */
  next: number;
}

function DivisionForm({ division, labelled, next, onChange }: FormProps) {
  return (
    <>
      <Choice
        label="How"
        hideLabel
        value={division.method}
        onChange={(method) => onChange({ method })}
        options={[
          { value: "random", label: "At random", title: "At random" },
          { value: "folders", label: "As the folders came", title: "As the folders came" },
        ]}
      />
      {division.method === "folders" ? (
        <p className="text-sm text-quiet">
          Sets named by folders stay; one that is missing is drawn from training.
        </p>
      ) : (
        <RandomFields division={division} onChange={onChange} />
      )}
      <div>
        {countsPictures(division) ? (
          <PictureFields division={division} labelled={labelled} onChange={onChange} />
        ) : (
          <ShareFields division={division} onChange={onChange} />
        )}
        <NumberField
          label="Seed"
          help="Another seed draws other sets."
          value={division.seed}
          min={0}
          max={4294967295}
          onChange={(seed) => onChange({ seed })}
        />
      </div>
      <label className="flex items-center gap-2">
        <span className="text-quiet">Name</span>
        <input
          value={division.name}
          maxLength={100}
          placeholder={`Split ${next}`}
          onChange={(event) => onChange({ name: event.target.value })}
          className="rounded-control min-w-0 flex-1 border border-edge bg-surface px-2 py-1"
        />
      </label>
    </>
  );
}
