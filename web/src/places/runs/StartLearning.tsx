/** What of a model that is taken over learns, for how long and how fast. */
import type { Recipe, StartPlan } from "../../api/client";
import { LEARNS, layerCounts, type Start, withLearns } from "../../domain/start";
import { Help } from "../../parts/Help";
import { NumberField } from "../../parts/NumberField";
import { Tick } from "../../parts/Tick";

interface Props {
  start: Start;
  plan: StartPlan | undefined;
  recipe: Recipe;
  onStart: (start: Start) => void;
}

export function StartLearning({ start, plan, recipe, onStart }: Props) {
  const { epochs } = recipe.settings;
  const frozen = plan?.layers.filter((layer) => layer.taken).map((layer) => layer.id) ?? [];
  const counts = plan && layerCounts(plan);
  return (
    <div className="flex flex-wrap gap-x-6 gap-y-2">
      <fieldset className="min-w-[270px] flex-1">
        <legend>
          <Help guide="start#what-learns">
            <span className="font-semibold">What learns</span>
          </Help>
        </legend>
        {LEARNS.map((way) => (
          <label key={way.value} className="mt-0.5 flex cursor-pointer items-baseline gap-2">
            <input
              type="radio"
              name="learns"
              value={way.value}
              checked={start.learns === way.value}
              onChange={() => onStart(withLearns(start, way.value, epochs, frozen))}
            />
            <span>
              {way.words}
              <span className="block text-sm text-quiet">{way.does}</span>
            </span>
          </label>
        ))}
      </fieldset>
      <div className="w-[270px]">
        {start.learns === "new-then-all" && (
          <NumberField
            label="Epochs for what is new"
            help={`Of all ${epochs} the first ones.`}
            value={start.new_epochs}
            min={1}
            max={Math.max(1, epochs - 1)}
            onChange={(new_epochs) => onStart({ ...start, new_epochs })}
          />
        )}
        {start.learns === "after" && (
          <label className="mb-2 block">
            Stays as it is up to
            <select
              value={start.frozen_to}
              onChange={(event) => onStart({ ...start, frozen_to: event.target.value })}
              className="rounded-control mt-1 w-full min-w-0 border border-edge bg-surface px-1.5 py-0.5 font-mono text-sm"
            >
              {!frozen.includes(start.frozen_to) && <option>{start.frozen_to}</option>}
              {frozen.map((id) => (
                <option key={id}>{id}</option>
              ))}
            </select>
          </label>
        )}
        {start.learns !== "new" && (
          <NumberField
            label="Rate of what is taken over"
            help="By which the learning rate is multiplied for it."
            guide="start#rate-of-what-is-taken-over"
            value={start.rate_factor}
            min={0}
            max={10}
            above
            step="any"
            onChange={(rate_factor) => onStart({ ...start, rate_factor })}
          />
        )}
      </div>
      <div className="w-[270px]">
        {start.learns !== "new" && (
          <Tick
            label="Normalisation learns its statistics anew"
            help="Otherwise it keeps those of the model, which few pictures would only blur."
            guide="start#normalisation"
            on={start.moving_statistics}
            onChange={(moving_statistics) => onStart({ ...start, moving_statistics })}
          />
        )}
        <Tick
          label="Standardise by these pictures"
          help="Otherwise by the statistics that the model has learnt with."
          guide="start#a-model-or-a-file"
          on={start.new_statistics}
          onChange={(new_statistics) => onStart({ ...start, new_statistics })}
        />
        {counts && (
          <p className="mt-2 text-sm text-quiet" data-testid="start-counts">
            <Help guide="start#what-is-taken-over">
              {counts.taken} of {counts.all} layers with numbers are taken over
              {plan.statistics_kept ? ", and the statistics." : "; statistics are of these pictures."}
            </Help>
          </p>
        )}
      </div>
    </div>
  );
}
