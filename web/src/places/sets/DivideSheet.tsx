/** Dividing pictures into sets: how at the left; what came of it, and what is wrong with it, beside. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asProblemOf, type ClassOf, client, need, type Proposal, type Split } from "../../api/client";
import { useProposal } from "../../api/ingredientQueries";
import { canDivide, countsPictures, type Division, divisionOf, splitOrder } from "../../domain/dividing";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { NumberField } from "../../parts/NumberField";
import { Sheet } from "../../parts/Sheet";
import { Failed, Reading } from "../../parts/States";
import { type FieldsProps, PictureFields, RandomFields, ShareFields, Weight } from "./DivisionFields";
import { SplitView } from "./SplitView";

interface Props {
  projectId: number;
  classes: readonly ClassOf[];
  splits: readonly Split[];
  split: Split | undefined;
  /** Of the newest result, for which the sets' weight is told. */
  accuracy?: number | undefined;
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

export function DivideSheet(props: Props) {
  const proposal = useProposal(props.projectId);
  return (
    <Sheet title="Divide into sets" open widest onClose={props.onClose}>
      {proposal.isError && <Failed error={proposal.error} onRetry={() => void proposal.refetch()} />}
      {proposal.isPending && <Reading what="what there is to divide" />}
      {proposal.data && <Dividing {...props} proposal={proposal.data} />}
    </Sheet>
  );
}

function Dividing({ projectId, classes, splits, split, proposal, ...props }: Props & { proposal: Proposal }) {
  const { onClose, onDivided } = props;
  const { labelled } = proposal;
  const [division, setDivision] = useState(() => divisionOf(split, labelled, proposal.shares));
  const { divide, busy, problem } = useDivide(projectId, onDivided);
  return (
    <div className="grid grid-cols-[300px_1fr] gap-8">
      <div className="flex flex-col gap-2">
        <DivisionForm
          division={division}
          proposal={proposal}
          accuracy={props.accuracy ?? USUAL_ACCURACY}
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
          Not divided yet. Training chooses its weights on the training set, its best epoch on the validation
          set; the test set judges at the end.
        </p>
      )}
    </div>
  );
}

/** Where no run has told one yet. */
const USUAL_ACCURACY = 0.9;

interface FormProps extends FieldsProps {
  proposal: Proposal;
  accuracy: number;
  /** The number that the new split will have. */
  next: number;
}

function DivisionForm({ division, proposal, accuracy, next, onChange }: FormProps) {
  const { labelled } = proposal;
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
        {division.method === "random" && (
          <Weight division={division} proposal={proposal} accuracy={accuracy} onChange={onChange} />
        )}
        <NumberField
          label="Seed"
          help="Another seed draws other sets."
          guide="dividing#seed-of-a-split"
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
