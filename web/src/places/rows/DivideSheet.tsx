/** Dividing pictures into sets: how, and what came of it per class and set. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asProblemOf, type ClassOf, client, need, type SetName, type Split } from "../../api/client";
import { colourPlace } from "../../domain/classColour";
import { percent, plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { ClassSign } from "../../parts/ClassSign";
import { NumberField } from "../../parts/NumberField";
import { SetBar } from "../../parts/SetBar";
import { Sheet } from "../../parts/Sheet";

interface Props {
  projectId: number;
  classes: readonly ClassOf[];
  split: Split | undefined;
  onClose: () => void;
  onDivided: (split: Split) => void;
}

const SETS: readonly SetName[] = ["training", "validation", "test"];

export function DivideSheet({ projectId, classes, split, onClose, onDivided }: Props) {
  const queries = useQueryClient();
  const [method, setMethod] = useState<"random" | "folders">(
    split?.method === "folders" ? "folders" : "random",
  );
  const [validation, setValidation] = useState(Math.round((split?.shares.validation ?? 0.15) * 100));
  const [test, setTest] = useState(Math.round((split?.shares.test ?? 0.15) * 100));
  const [seed, setSeed] = useState(split?.seed ?? 1);
  const [problem, setProblem] = useState("");
  const [busy, setBusy] = useState(false);
  const training = 100 - validation - test;

  const divide = async () => {
    setBusy(true);
    setProblem("");
    try {
      const made = await need(
        client.POST("/api/projects/{project_id}/splits", {
          params: { path: { project_id: projectId } },
          body: {
            method,
            seed,
            shares: { training: training / 100, validation: validation / 100, test: test / 100 },
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
    <Sheet title="Divide into sets" open wide onClose={onClose}>
      <div className="grid grid-cols-[280px_1fr] gap-8">
        <div>
          <Choice
            label="How"
            hideLabel
            value={method}
            onChange={setMethod}
            options={[
              { value: "random", label: "At random", title: "At random, the same class shares in every set" },
              { value: "folders", label: "As the folders came", title: "As the folders came" },
            ]}
          />
          <p className="my-2 text-sm text-quiet">
            {method === "random"
              ? "The same class shares in every set; the same seed gives the same sets."
              : "Sets named by folders stay; one that is missing is drawn from training."}
          </p>
          <NumberField
            label="Validation, %"
            help="Chooses the kept epoch. 10 to 20 is usual."
            value={validation}
            min={1}
            max={60}
            onChange={setValidation}
          />
          <NumberField
            label="Test, %"
            help="Judges at the end. 10 to 20 is usual."
            value={test}
            min={0}
            max={60}
            onChange={setTest}
          />
          <p className="mb-2 flex justify-between">
            <span>Training, %</span>
            <span className={`font-mono ${training < 1 ? "text-wrong" : ""}`}>{training}</span>
          </p>
          <NumberField
            label="Seed"
            help="Another seed draws other sets."
            value={seed}
            min={0}
            max={4294967295}
            onChange={setSeed}
          />
          <Button kind="main" disabled={busy || training < 1} onClick={() => void divide()}>
            {split ? "Divide again" : "Divide"}
          </Button>
          <p role="alert" className="mt-2 text-wrong">
            {problem}
          </p>
        </div>
        <div>
          {split ? (
            <Counts classes={classes} split={split} />
          ) : (
            <p className="text-quiet">Not divided yet.</p>
          )}
        </div>
      </div>
    </Sheet>
  );
}

function Counts({ classes, split }: { classes: readonly ClassOf[]; split: Split }) {
  const largest = Math.max(1, ...classes.map((entry) => entry.count));
  const of = (classId: number, set: SetName) => split.counts[String(classId)]?.[set] ?? 0;
  const total = (set: SetName) =>
    Object.values(split.counts).reduce((sum, entry) => sum + (entry[set] ?? 0), 0);
  const all = SETS.reduce((sum, set) => sum + total(set), 0);
  return (
    <div data-testid="split-counts">
      <h3 className="mb-1 font-semibold">
        Split {split.number},{" "}
        {split.method === "random" ? `at random with seed ${split.seed}` : "as the folders came"}
      </h3>
      <table className="w-full">
        <thead>
          <tr className="text-left text-sm text-quiet">
            <th className="font-normal">class</th>
            <th className="w-[30%]" aria-label="shares" />
            {SETS.map((set) => (
              <th key={set} className="text-right font-normal">
                {set}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {classes.map((entry) => {
            const counts = {
              training: of(entry.id, "training"),
              validation: of(entry.id, "validation"),
              test: of(entry.id, "test"),
              none: 0,
            };
            return (
              <tr key={entry.id} className="border-t border-hairline">
                <td className="py-1">
                  <ClassSign place={colourPlace(entry)} sign={entry.sign} /> {entry.name}
                </td>
                <td>
                  <SetBar counts={counts} whole={largest} />
                </td>
                {SETS.map((set) => (
                  <td
                    key={set}
                    className={`text-right ${counts[set] === 0 && entry.count ? "font-semibold text-wrong" : ""}`}
                  >
                    {counts[set]}
                  </td>
                ))}
              </tr>
            );
          })}
        </tbody>
        <tfoot>
          <tr className="border-t border-edge font-semibold">
            <td className="py-1" colSpan={2}>
              all
            </td>
            {SETS.map((set) => (
              <td key={set} className="text-right">
                {total(set)} <span className="font-normal text-quiet">{percent(total(set), all)}</span>
              </td>
            ))}
          </tr>
        </tfoot>
      </table>
      {split.warnings.map((warning) => (
        <p key={warning} className="mt-1 text-wrong">
          {warning}
        </p>
      ))}
      {split.in_no_set > 0 && (
        <p className="mt-1 text-quiet">
          {plural(split.in_no_set, "labelled picture")} in no set: labelled or brought in since.
        </p>
      )}
    </div>
  );
}
