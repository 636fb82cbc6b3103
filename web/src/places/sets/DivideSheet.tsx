/** Dividing pictures into sets: how at the left; what came of it, and what is wrong with it, beside. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asProblemOf, type ClassOf, client, need, type Split } from "../../api/client";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { NumberField } from "../../parts/NumberField";
import { Sheet } from "../../parts/Sheet";
import { SplitView } from "./SplitView";

interface Props {
  projectId: number;
  classes: readonly ClassOf[];
  splits: readonly Split[];
  split: Split | undefined;
  onClose: () => void;
  onDivided: (split: Split) => void;
}

type Together = "nothing" | "group" | "pattern" | "day";

const TOGETHER: readonly { value: Together; label: string; title: string; help: string }[] = [
  { value: "nothing", label: "nothing", title: "Nothing", help: "Every picture is drawn for itself." },
  {
    value: "group",
    label: "series",
    title: "The grouping of the table",
    help: "Pictures with the same grouping key of the table that they came with are never cut apart.",
  },
  {
    value: "pattern",
    label: "name",
    title: "A part of the file name",
    help: "Write {group} where that part stands, {number} for digits, {any} for the rest.",
  },
  {
    value: "day",
    label: "day",
    title: "The day brought in",
    help: "What came on the same day (UTC) stays together.",
  },
];

export function DivideSheet({ projectId, classes, splits, split, onClose, onDivided }: Props) {
  const queries = useQueryClient();
  const rule = (split?.rule ?? {}) as { together?: Together; pattern?: string; keep_copies?: boolean };
  const [name, setName] = useState("");
  const [method, setMethod] = useState<"random" | "folders">(
    split?.method === "folders" ? "folders" : "random",
  );
  const [by, setBy] = useState<"shares" | "numbers">("shares");
  const [validation, setValidation] = useState(Math.round((split?.shares.validation ?? 0.15) * 100));
  const [test, setTest] = useState(Math.round((split?.shares.test ?? 0.15) * 100));
  const labelled = classes.reduce((sum, entry) => sum + entry.count, 0);
  const [numbers, setNumbers] = useState(() => ({
    training: Math.round(labelled * 0.7),
    validation: Math.round(labelled * 0.15),
    test: Math.round(labelled * 0.1),
  }));
  const [together, setTogether] = useState<Together>(rule.together ?? "nothing");
  const [pattern, setPattern] = useState(rule.pattern || "{group}_{number}");
  const [keepCopies, setKeepCopies] = useState(rule.keep_copies ?? true);
  const [stratified, setStratified] = useState(true);
  const [seed, setSeed] = useState(split?.seed ?? 1);
  const [problem, setProblem] = useState("");
  const [busy, setBusy] = useState(false);
  const training = 100 - validation - test;
  const rest = labelled - numbers.training - numbers.validation - numbers.test;

  const divide = async () => {
    setBusy(true);
    setProblem("");
    try {
      const made = await need(
        client.POST("/api/projects/{project_id}/splits", {
          params: { path: { project_id: projectId } },
          body: {
            name,
            method,
            seed,
            stratified,
            together: method === "random" ? together : "nothing",
            pattern: together === "pattern" ? pattern : "",
            keep_copies: keepCopies,
            shares: { training: training / 100, validation: validation / 100, test: test / 100 },
            numbers: by === "numbers" && method === "random" ? numbers : null,
          },
        }),
      );
      await queries.invalidateQueries({ queryKey: ["splits"] });
      onDivided(made);
    } catch (error) {
      setProblem(asProblemOf(error).message);
    }
    setBusy(false);
  };

  return (
    <Sheet title="Divide into sets" open widest onClose={onClose}>
      <div className="grid grid-cols-[300px_1fr] gap-8">
        <div className="flex flex-col gap-2">
          <Choice
            label="How"
            hideLabel
            value={method}
            onChange={setMethod}
            options={[
              { value: "random", label: "At random", title: "At random" },
              { value: "folders", label: "As the folders came", title: "As the folders came" },
            ]}
          />
          {method === "folders" ? (
            <p className="text-sm text-quiet">
              Sets named by folders stay; one that is missing is drawn from training.
            </p>
          ) : (
            <>
              <Choice
                label="Amounts"
                value={by}
                onChange={setBy}
                options={[
                  { value: "shares", label: "in percent", title: "In percent" },
                  { value: "numbers", label: "in pictures", title: "In pictures; the rest is in no set" },
                ]}
              />
              <Choice
                label="Keep together"
                value={together}
                onChange={setTogether}
                options={TOGETHER.map(({ value, label, title }) => ({ value, label, title }))}
              />
              <p className="text-sm text-quiet">{TOGETHER.find((entry) => entry.value === together)?.help}</p>
              {together === "pattern" && (
                <input
                  aria-label="Pattern of the file name"
                  value={pattern}
                  maxLength={200}
                  onChange={(event) => setPattern(event.target.value)}
                  className="rounded-control border border-edge bg-surface px-2 py-1 font-mono"
                />
              )}
              <Tick
                label="Copies stay in one set"
                help="Copies in training and test make the test easier than life."
                on={keepCopies}
                onChange={setKeepCopies}
              />
              <Tick
                label="The same class shares in every set"
                help="Stratified: without it small classes may miss a set."
                on={stratified}
                onChange={setStratified}
              />
            </>
          )}
          <div>
            {by === "shares" || method === "folders" ? (
              <>
                <NumberField
                  label="Validation, %"
                  help="Chooses the kept epoch. 10 to 20 is usual."
                  value={validation}
                  min={1}
                  max={98}
                  onChange={setValidation}
                />
                <NumberField
                  label="Test, %"
                  help="Judges at the end. 10 to 20 is usual."
                  value={test}
                  min={0}
                  max={98}
                  onChange={setTest}
                />
                <p className="mb-2 flex justify-between">
                  <span>Training, %</span>
                  <span className={`font-mono ${training < 1 ? "text-wrong" : ""}`}>{training}</span>
                </p>
                {training < 1 && (
                  <p role="alert" className="text-sm text-wrong">
                    Validation and test leave nothing to train on: together at most 99.
                  </p>
                )}
              </>
            ) : (
              <>
                {(["training", "validation", "test"] as const).map((set) => (
                  <NumberField
                    key={set}
                    label={`${set[0]?.toUpperCase()}${set.slice(1)}, pictures`}
                    help={set === "test" ? "0 is allowed." : "At least 1."}
                    value={numbers[set]}
                    min={set === "test" ? 0 : 1}
                    max={1_000_000}
                    onChange={(count) => setNumbers({ ...numbers, [set]: count })}
                  />
                ))}
                <p className={rest < 0 ? "text-wrong" : "text-quiet"} role={rest < 0 ? "alert" : undefined}>
                  {rest < 0
                    ? `${-rest} more than there are: ${labelled} are labelled.`
                    : `${rest} of ${labelled} stay in no set.`}
                </p>
              </>
            )}
            <NumberField
              label="Seed"
              help="Another seed draws other sets."
              value={seed}
              min={0}
              max={4294967295}
              onChange={setSeed}
            />
          </div>
          <label className="flex items-center gap-2">
            <span className="text-quiet">Name</span>
            <input
              value={name}
              maxLength={100}
              placeholder={`Split ${Math.max(0, ...splits.map((entry) => entry.number)) + 1}`}
              onChange={(event) => setName(event.target.value)}
              className="rounded-control min-w-0 flex-1 border border-edge bg-surface px-2 py-1"
            />
          </label>
          <Button
            kind="main"
            className="self-start"
            disabled={busy || training < 1 || (by === "numbers" && rest < 0)}
            onClick={() => void divide()}
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

function Tick(props: { label: string; help: string; on: boolean; onChange: (on: boolean) => void }) {
  return (
    <label className="flex cursor-pointer items-start gap-2" title={props.help}>
      <input
        type="checkbox"
        checked={props.on}
        onChange={(event) => props.onChange(event.target.checked)}
        className="mt-1 accent-choice"
      />
      <span>
        {props.label}
        <span className="block text-sm text-quiet">{props.help}</span>
      </span>
    </label>
  );
}
