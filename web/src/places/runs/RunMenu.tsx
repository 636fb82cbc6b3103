/** What can be done with a run that is there: another name or note, or the bin. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, need, type Recipe, type Run } from "../../api/client";
import { trainFinally } from "../../api/planQueries";
import { useHoldings } from "../../api/runQueries";
import { readStart } from "../../api/startQueries";
import { useAddress } from "../../app/context";
import { runTitle, wasTrained } from "../../domain/runs";
import { recipeOf, trainedOn } from "../../domain/start";
import { bytes, plural } from "../../domain/words";
import { ActionMenu } from "../../parts/ActionMenu";
import { buttonLook } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";
import { SheetForm } from "../../parts/SheetForm";
import { TitleFields } from "./StartCell";
import { TogetherSheet } from "./TogetherSheet";

interface Props {
  run: Run;
  /** Lays a recipe onto the Run sheet. */
  onRecipe: (recipe: Recipe) => void;
}

export function RunMenu({ run, onRecipe }: Props) {
  const [asked, setAsked] = useState<"title" | "bin" | "together">();
  const goOn = useGoOn(run);
  const trainOn = useTrainingOn(run, onRecipe);
  const trainFinal = useFinalTraining(run);
  const close = () => setAsked(undefined);
  return (
    <>
      <ActionMenu
        words="More"
        label={`More for run ${run.number}`}
        className={buttonLook("bare")}
        anchor="bottom start"
        actions={[
          ...(isBroken(run) ? [{ words: "Go on from where it is", act: goOn }] : []),
          ...(run.state === "ended" && run.model?.has_weights
            ? [{ words: "Train on from its model …", act: trainOn }]
            : []),
          ...(mayBeFinal(run) ? [{ words: "Final training on all but test", act: trainFinal }] : []),
          ...(run.state === "ended" && run.model?.has_weights
            ? [{ words: "Let it answer together with …", act: () => setAsked("together") }]
            : []),
          { words: "Name and note", act: () => setAsked("title") },
          { words: "Into the bin", act: () => setAsked("bin"), danger: true },
        ]}
      />
      {asked === "title" && <TitleSheet run={run} onClose={close} />}
      {asked === "together" && <TogetherSheet first={run} onClose={close} />}
      {asked === "bin" && <BinSheet run={run} onClose={close} />}
    </>
  );
}

/** It ended well, and something was held back from it. */
function mayBeFinal(run: Run): boolean {
  const well = run.state === "ended" && run.ended_by !== "failed" && wasTrained(run);
  return well && run.model !== null && !run.repeats && (run.counts.validation ?? 0) > 0;
}

/** The same set-up once more, on training and validation pictures together. */
function useFinalTraining(run: Run): () => void {
  const queries = useQueryClient();
  const [, setAddress] = useAddress();
  const { fail } = useNotices();
  const train = async () => {
    try {
      const made = await trainFinally(run.id);
      await queries.invalidateQueries({ queryKey: ["runs"] });
      setAddress({ run: String(made.id) });
    } catch (error) {
      fail(error);
    }
  };
  return () => void train();
}

/** It can go on from where it is. */
export function isBroken(run: Run): boolean {
  return run.state === "ended" && (run.ended_by === "stopped" || run.ended_by === "failed");
}

/** A run that was stopped or failed goes on itself. */
export function useGoOn(run: Run): () => void {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const goOn = async () => {
    try {
      await need(client.POST("/api/runs/{run_id}/go-on", { params: { path: { run_id: run.id } } }));
      for (const key of ["runs", "run", "queue"]) await queries.invalidateQueries({ queryKey: [key] });
    } catch (error) {
      fail(error);
    }
  };
  return () => void goOn();
}

/** One that ended well is what a new one starts from. */
function useTrainingOn(run: Run, onRecipe: (recipe: Recipe) => void): () => void {
  const { say, fail } = useNotices();
  const trainOn = async () => {
    if (!run.model) return;
    try {
      const source = { model_id: run.model.id };
      onRecipe(trainedOn(recipeOf(run), source, await readStart(source)));
      say(`The Run sheet starts from run ${run.number} now, at a third of its rate.`);
    } catch (error) {
      fail(error);
    }
  };
  return () => void trainOn();
}

function TitleSheet({ run, onClose }: { run: Run; onClose: () => void }) {
  const queries = useQueryClient();
  const [title, setTitle] = useState({ name: run.name, note: run.note });
  const keep = async () => {
    await need(client.PATCH("/api/runs/{run_id}", { params: { path: { run_id: run.id } }, body: title }));
    for (const key of ["runs", "run"]) await queries.invalidateQueries({ queryKey: [key] });
  };
  return (
    <SheetForm title={`Run ${run.number}`} action="Keep" ready onClose={onClose} onSubmit={keep}>
      <TitleFields title={title} onTitle={setTitle} />
    </SheetForm>
  );
}

function BinSheet({ run, onClose }: { run: Run; onClose: () => void }) {
  const queries = useQueryClient();
  const [, setAddress] = useAddress();
  const { say, fail } = useNotices();
  const { data: held } = useHoldings(run.id);
  const hanging = [
    held?.weights_bytes ? `${bytes(held.weights_bytes)} of weights` : "",
    held?.judged.length
      ? `what it said of the ${held.judged.map(judgedWords).join(" and the ")} pictures`
      : "",
    held?.packs ? `${plural(held.packs, "export pack")} of ${bytes(held.packs_bytes)}` : "",
  ].filter(Boolean);
  const bin = async () => {
    // Nothing asks for it any more when it is gone; another run may be on show before the answer is here.
    setAddress({ run: undefined });
    try {
      await need(client.DELETE("/api/runs/{run_id}", { params: { path: { run_id: run.id } } }));
      say(`${runTitle(run)} lies in the bin and can be put back.`);
    } catch (error) {
      setAddress({ run: String(run.id) });
      fail(error);
    }
    for (const key of ["runs", "bin", "projects"]) await queries.invalidateQueries({ queryKey: [key] });
  };
  return (
    <SheetForm
      title={`Run ${run.number} into the bin`}
      action="Into the bin"
      ready={run.state === "ended"}
      onClose={onClose}
      onSubmit={bin}
    >
      {run.state === "ended" ? (
        <p>
          Its model goes with it{hanging.length > 0 && `: ${hanging.join(", ")}`}. Until the bin is emptied
          all of it can be put back.
          {held && held.looks > 0 && ` Its ${plural(held.looks, "look")} at the test set stay counted.`}
        </p>
      ) : (
        <p>It has not ended: stop it first, or wait.</p>
      )}
    </SheetForm>
  );
}

function judgedWords(set: string): string {
  return set === "outside" ? "labelled outside" : set;
}
