/** What a search varies: a line for each, with its list or range, and where the first trials fall. */
import type { Knob, KnobOffer, RunPlanSketch } from "../../api/client";
import { knobOf, otherForm } from "../../domain/plans";
import { Button } from "../../parts/Button";
import { KnobRange } from "./KnobRange";
import { KnobStrip } from "./KnobStrip";
import { KnobValues } from "./KnobValues";

interface Props {
  offers: readonly KnobOffer[];
  space: readonly Knob[];
  onSpace: (space: readonly Knob[]) => void;
  first: RunPlanSketch["first"];
}

export function KnobList({ offers, space, onSpace, first }: Props) {
  const rest = offers.filter((offer) => !space.some((knob) => knob.name === offer.name));
  const change = (changed: Knob) =>
    onSpace(space.map((knob) => (knob.name === changed.name ? changed : knob)));
  return (
    <>
      {space.length === 0 && <p className="mb-3">Nothing is varied yet: choose something below.</p>}
      <ol>
        {space.map((knob) => (
          <Line
            key={knob.name}
            knob={knob}
            offer={offers.find((entry) => entry.name === knob.name)}
            first={first}
            onChange={change}
            onRemove={() => onSpace(space.filter((entry) => entry.name !== knob.name))}
          />
        ))}
      </ol>
      <label className="mt-3 inline-flex items-center gap-2">
        <span className="text-quiet">Vary also</span>
        <select
          value=""
          data-testid="vary-also"
          onChange={(event) => {
            const chosen = rest.find((offer) => offer.name === event.target.value);
            if (chosen) onSpace([...space, knobOf(chosen)]);
          }}
          className="rounded-control cursor-pointer border border-edge bg-surface px-2 py-1"
        >
          <option value="">…</option>
          {rest.map((offer) => (
            <option key={offer.name} value={offer.name}>
              {offer.words}
            </option>
          ))}
        </select>
      </label>
    </>
  );
}

interface LineProps {
  knob: Knob;
  offer: KnobOffer | undefined;
  first: RunPlanSketch["first"];
  onChange: (knob: Knob) => void;
  onRemove: () => void;
}

function Line({ knob, offer, first, onChange, onRemove }: LineProps) {
  const listed = knob.values.length > 0;
  return (
    <li className="border-b border-hairline py-2" data-knob={knob.name}>
      <div className="flex items-baseline gap-3">
        <h3 className="w-[180px] shrink-0 font-semibold" title={offer?.help}>
          {knob.words}
        </h3>
        <div className="min-w-0 flex-1">
          {listed ? (
            <KnobValues knob={knob} offer={offer} onChange={onChange} />
          ) : (
            <KnobRange knob={knob} offer={offer} onChange={onChange} />
          )}
        </div>
        {offer?.ranged && (
          <Button kind="bare" onClick={() => onChange(otherForm(knob, offer))}>
            {listed ? "as a range" : "as a list"}
          </Button>
        )}
        <Button kind="bare" aria-label={`${knob.words}: leave as it is`} onClick={onRemove}>
          leave as it is
        </Button>
      </div>
      <div className="mt-1 ml-[192px]">
        <KnobStrip knob={knob} values={first.map((trial) => trial[knob.name])} />
      </div>
    </li>
  );
}
