/** Layer by layer, against the epochs: what is taken over, what is new and why, and what learns when. */
import type { Recipe, StartPlan } from "../../api/client";
import { kindWords } from "../../domain/network";
import { withoutArea } from "../../domain/recipe";
import { numberedLayers, planSeconds } from "../../domain/start";
import { duration, plural } from "../../domain/words";
import { Button } from "../../parts/Button";

interface Props {
  plan: StartPlan;
  recipe: Recipe;
  onRecipe: (recipe: Recipe) => void;
}

type Phase = StartPlan["phases"][number];

export function StartLayers({ plan, recipe, onRecipe }: Props) {
  const seconds = planSeconds(plan);
  return (
    <div className="mt-3" data-testid="start-layers">
      {plan.failure && (
        <p role="alert" className="mb-2 text-wrong">
          {plan.failure.what} {plan.failure.mend}
        </p>
      )}
      {plan.doubts.map((doubt) => (
        <p key={doubt} className="mb-1" data-testid="start-doubt">
          {doubt}{" "}
          <Button
            kind="bare"
            onClick={() => onRecipe({ ...recipe, preprocessing: withoutArea(plan.preprocessing) })}
          >
            Prepare pictures as it did
          </Button>
        </p>
      ))}
      <table className="w-full table-fixed border-collapse">
        <caption className="sr-only">Layers, and in which epochs each learns</caption>
        <colgroup>
          <col className="w-[270px]" />
          {plan.phases.map((phase) => (
            <col key={phase.first} />
          ))}
          <col className="w-[26%]" />
        </colgroup>
        <thead className="text-sm">
          <tr className="align-bottom">
            <th className="pb-1 text-left font-normal text-quiet">layer</th>
            {plan.phases.map((phase) => (
              <th key={phase.first} className="border-l border-edge px-2 pb-1 text-left font-normal">
                <PhaseHead phase={phase} />
              </th>
            ))}
            <th className="pb-1 pl-3 text-left font-normal text-quiet">
              {plan.phases.length > 1 && seconds !== null && `together about ${duration(seconds)}`}
            </th>
          </tr>
        </thead>
        <tbody>
          {numberedLayers(plan).map((layer) => (
            <Row key={layer.id} layer={layer} phases={plan.phases} />
          ))}
        </tbody>
      </table>
      {plan.unused.length > 0 && (
        <p className="mt-2 text-sm text-quiet">
          {plural(plan.unused.length, "layer")} of the model {plan.unused.length === 1 ? "has" : "have"} no
          place here: {plan.unused.join(", ")}.
        </p>
      )}
    </div>
  );
}

function PhaseHead({ phase }: { phase: Phase }) {
  const last = phase.first + phase.epochs - 1;
  return (
    <>
      <b>{phase.first === last ? `Epoch ${last}` : `Epochs ${phase.first} to ${last}`}</b>
      {phase.seconds !== null && `, about ${duration(phase.seconds)}`}
      <span className="block text-quiet">{plural(phase.parameters, "number")} learn</span>
    </>
  );
}

interface RowProps {
  layer: StartPlan["layers"][number];
  phases: readonly Phase[];
}

function Row({ layer, phases }: RowProps) {
  return (
    <tr className="text-sm">
      <td className="truncate py-0.5" title={`${layer.id}, ${layer.shape.join(" × ")}`}>
        <span
          className={`mr-2 inline-block w-[68px] ${layer.taken ? "text-good" : "font-semibold text-wrong"}`}
        >
          {layer.taken ? "taken over" : "new"}
        </span>
        {kindWords(layer.kind)} <span className="font-mono text-xs text-quiet">{layer.shape.join("×")}</span>
      </td>
      {phases.map((phase) => (
        <td key={phase.first} className="border-l border-edge px-0.5">
          <Bar learns={phase.layers.includes(layer.id)} taken={layer.taken} />
        </td>
      ))}
      <td className="truncate pl-3 text-quiet" title={layer.why}>
        {layer.why || plural(layer.parameters, "number")}
      </td>
    </tr>
  );
}

function Bar({ learns, taken }: { learns: boolean; taken: boolean }) {
  if (!learns)
    return (
      <span role="img" aria-label="stays" className="flex h-[14px] items-center">
        <span className="h-px w-full bg-edge" />
      </span>
    );
  return (
    <span
      role="img"
      aria-label="learns"
      className={`block h-[14px] ${taken ? "bg-choice/45" : "bg-choice"}`}
    />
  );
}
