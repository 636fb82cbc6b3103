/** What the model is, and its export packs. */
import { useQueryClient } from "@tanstack/react-query";
import { client, type Model, need, type Run } from "../../api/client";
import { useJobs } from "../../api/queries";
import { plural, score } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Digest } from "../../parts/Digest";
import { useNotices } from "../../parts/Notices";
import { Packs } from "./Packs";

export function HandOver({ run, model }: { run: Run; model: Model }) {
  const { fail } = useNotices();
  const { data: jobs = [] } = useJobs();
  const queries = useQueryClient();
  const makePack = async () => {
    try {
      await need(client.POST("/api/models/{model_id}/exports", { params: { path: { model_id: model.id } } }));
      await queries.invalidateQueries({ queryKey: ["exports"] });
      await queries.invalidateQueries({ queryKey: ["jobs"] });
    } catch (error) {
      fail(error);
    }
  };
  return (
    <aside
      className="flex w-[350px] shrink-0 flex-col overflow-y-auto border-l border-hairline px-4 py-3"
      aria-label="Hand over"
    >
      <h2 className="text-lg font-semibold">Hand over run {run.number}</h2>
      <p className="text-quiet">{modelWords(run, model)}</p>
      <p className="mb-2">
        <Digest model={model} />
      </p>
      <p className="mb-3 text-quiet">
        A pack holds an ONNX file from 8-bit pixels to probabilities, the class list, a description, and a
        short script for picture files. Before it is offered, the script is run in a fresh process and its
        answers are compared with the application's.
      </p>
      <Button kind="main" className="justify-center" onClick={() => void makePack()}>
        Make an export pack
      </Button>
      <Packs model={model} jobs={jobs} />
    </aside>
  );
}

function modelWords(run: Run, model: Model): string {
  const judged = run.validation;
  if (judged) {
    return `${score(judged.accuracy)} on ${plural(judged.count, "validation picture")}, kept epoch ${model.epoch}, ${plural(run.parameters, "parameter")}.`;
  }
  return `Kept epoch ${model.epoch}${model.frozen ? "" : " so far; the run goes on and may keep another"}.`;
}
