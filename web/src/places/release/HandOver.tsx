/** What the model is, and the forms in which it is handed over. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, type Form, type Model, need, type Run } from "../../api/client";
import { useJobs } from "../../api/queries";
import { useForms } from "../../api/runQueries";
import { useAddress } from "../../app/context";
import { areaFrom, areaWords } from "../../domain/area";
import { unsureWords } from "../../domain/sureness";
import { plural, score } from "../../domain/words";
import { Button, buttonLook } from "../../parts/Button";
import { Digest } from "../../parts/Digest";
import { useNotices } from "../../parts/Notices";
import { Failed } from "../../parts/States";
import { OfferSheet } from "./OfferSheet";
import { Packs } from "./Packs";

export function HandOver({ run, model }: { run: Run; model: Model }) {
  const { fail } = useNotices();
  const { data: jobs = [] } = useJobs();
  const queries = useQueryClient();
  const [, setAddress] = useAddress();
  const [offering, setOffering] = useState(false);
  const forms = useForms();
  const [chosen, setChosen] = useState<Form["form"]>("pack");
  const title = forms.data?.find((form) => form.form === chosen)?.title ?? "pack";
  const [calibrated, setCalibrated] = useState(model.unsure_below !== null);
  const make = async () => {
    try {
      await need(
        client.POST("/api/models/{model_id}/exports", {
          params: { path: { model_id: model.id } },
          body: { calibrated, form: chosen },
        }),
      );
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
      <p className="mb-2 flex items-center justify-between gap-2">
        <Digest model={model} />
        <Button onClick={() => setOffering(true)}>Put on offer</Button>
      </p>
      {offering && (
        <OfferSheet
          model={model}
          onClose={() => setOffering(false)}
          onDone={() => {
            setOffering(false);
            setAddress({ view: "offers" });
          }}
        />
      )}
      {run.recipe.preprocessing.area && (
        <p className="mb-2" data-testid="fresh-area">
          What counts of a picture that it is given: {areaWords(areaFrom(run.recipe.preprocessing.area))}.
        </p>
      )}
      <fieldset className="mb-2">
        <legend className="sr-only">Form</legend>
        {forms.data?.map((form) => (
          <FormChoice key={form.form} form={form} chosen={form.form === chosen} onChoose={setChosen} />
        ))}
      </fieldset>
      {forms.error && <Failed error={forms.error} onRetry={() => void forms.refetch()} />}
      {(model.temperature !== null || model.unsure_below !== null) && (
        <label className="mb-2 flex cursor-pointer items-start gap-2">
          <input
            type="checkbox"
            checked={calibrated}
            onChange={(event) => setCalibrated(event.target.checked)}
            className="mt-1 accent-choice"
          />
          <span>
            With calibrated probabilities
            <span className="block text-sm text-quiet">
              {model.temperature !== null &&
                `Temperature ${model.temperature.toFixed(2)} within the network. `}
              {unsureWords(model)}
            </span>
          </span>
        </label>
      )}
      <Button kind="main" className="justify-center" onClick={() => void make()}>
        Make the {title.toLowerCase()}
      </Button>
      <Packs model={model} forms={forms.data ?? []} jobs={jobs} />
      {run.validation && (
        <p className="mt-2 border-t border-hairline pt-3">
          <a className={buttonLook()} href={`/api/models/${model.id}/report.html`} download>
            Report
          </a>{" "}
          <span className="text-sm text-quiet">
            one file to read, print and send: pictures, recipe, scores, errors
          </span>
        </p>
      )}
    </aside>
  );
}

interface FormChoiceProps {
  form: Form;
  chosen: boolean;
  onChoose: (form: Form["form"]) => void;
}

function FormChoice({ form, chosen, onChoose }: FormChoiceProps) {
  return (
    <label
      className={`flex cursor-pointer items-start gap-2 border-t border-hairline py-1.5 ${chosen ? "" : "text-quiet"}`}
      title={form.holds}
    >
      <input
        type="radio"
        name="form"
        value={form.form}
        checked={chosen}
        onChange={() => onChoose(form.form)}
        className="mt-1 accent-choice"
      />
      <span>
        <b className="text-ink">{form.title}</b> {form.purpose}
        {chosen && <span className="block text-sm text-quiet">{form.holds}</span>}
      </span>
    </label>
  );
}

function modelWords(run: Run, model: Model): string {
  const judged = run.validation;
  const brought = run.ended_by === "brought" && "brought in from a file";
  if (judged) {
    return `${score(judged.accuracy)} on ${plural(judged.count, "validation picture")}, ${brought || `kept epoch ${model.epoch}`}, ${plural(run.parameters, "parameter")}.`;
  }
  if (brought) return "Brought in from a file; not judged yet.";
  return `Kept epoch ${model.epoch}${model.frozen ? "" : " so far; the run goes on and may keep another"}.`;
}
