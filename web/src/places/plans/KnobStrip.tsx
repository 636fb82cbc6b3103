/** A small strip of a knob before the search: its ends or values, and where the first trials fall. */
import type { Knob } from "../../api/client";
import { type KnobValue, placeOf, valueWords } from "../../domain/plans";

export function KnobStrip({ knob, values }: { knob: Knob; values: readonly (KnobValue | undefined)[] }) {
  const places = values
    .map((value) => placeOf(knob, value))
    .filter((place): place is number => place !== undefined);
  const listed = knob.values.length > 0;
  return (
    <div
      role="img"
      aria-label={`The first ${places.length} trials: ${values.map(valueWords).join(", ")}`}
      className="max-w-[560px]"
    >
      <div className="relative h-3 bg-sunken">
        {listed &&
          knob.values
            .slice(1)
            .map((value, n) => (
              <span
                key={String(value)}
                className="absolute top-0 h-full w-px bg-ground"
                style={{ left: `${(100 * (n + 1)) / knob.values.length}%` }}
              />
            ))}
        {places.map((place, n) => (
          <span
            // biome-ignore lint/suspicious/noArrayIndexKey: a trial is its number
            key={n}
            className="absolute top-0 h-full w-[3px] -translate-x-1/2 bg-choice"
            style={{ left: `${100 * place}%` }}
          />
        ))}
      </div>
      <div className="relative h-4 text-xs text-quiet">
        {listed ? (
          knob.values.map((value, n) => (
            <span
              key={String(value)}
              className="absolute max-w-24 -translate-x-1/2 truncate"
              style={{ left: `${(100 * (n + 0.5)) / knob.values.length}%` }}
            >
              {valueWords(value)}
            </span>
          ))
        ) : (
          <span className="flex justify-between">
            <span>{valueWords(knob.low)}</span>
            {knob.by_ratio && <span>by ratio</span>}
            <span>{valueWords(knob.high)}</span>
          </span>
        )}
      </div>
    </div>
  );
}
