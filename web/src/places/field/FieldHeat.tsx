/** Where the model looks, over every tile on show: for which class, how strongly, and off again. */
import type { Model } from "../../api/client";
import type { Looking } from "../../api/judgingQueries";
import { Button } from "../../parts/Button";
import { ClassToLookFor, HeatScale } from "./Heat";

/** What lies over the tiles. */
export interface TileHeat {
  readonly classId: Looking["classId"];
  readonly strength: number;
}

export const FIRST_TILE_HEAT: TileHeat = { classId: undefined, strength: 0.7 };

interface Props {
  model: Model;
  heat: TileHeat;
  /** The tiles are too small for it. */
  small: boolean;
  onHeat: (next: TileHeat | undefined) => void;
}

export function FieldHeat({ model, heat, small, onHeat }: Props) {
  return (
    <section
      aria-label="Where it looks"
      data-testid="field-heat"
      className="flex shrink-0 items-center gap-3 border-t border-hairline bg-surface px-4 py-1.5 text-sm"
    >
      <b>Where it looks</b>
      <span className="flex items-center gap-1.5">
        for
        <ClassToLookFor
          model={model}
          value={heat.classId}
          onChange={(classId) => onHeat({ ...heat, classId })}
        />
      </span>
      <input
        type="range"
        aria-label="Strength"
        title="Strength"
        min={0.1}
        max={1}
        step={0.05}
        value={heat.strength}
        onChange={(event) => onHeat({ ...heat, strength: Number(event.target.value) })}
        className="w-20 accent-choice"
      />
      <span className="w-36">
        <HeatScale />
      </span>
      {small && <span className="text-quiet">Larger tiles (+) show it.</span>}
      <Button kind="bare" title="W" onClick={() => onHeat(undefined)}>
        Off
      </Button>
    </section>
  );
}
