/** Where the model looks: laid over the picture of a Close-up, and how it is asked for. */
import { useEffect, useRef } from "react";
import type { Heatmap, Model } from "../../api/client";
import { FIRST_LOOK, type Looking } from "../../api/judgingQueries";
import { heatArea, heatColour, heatPixels, heatWords } from "../../domain/heat";

/** Over the picture, as large as it; clipped by it. */
export function HeatOverlay({ found, strength }: { found: Heatmap; strength: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const pixels = new ImageData(heatPixels(found, strength), found.columns, found.rows);
    canvas.current?.getContext("2d")?.putImageData(pixels, 0, 0);
  }, [found, strength]);
  const { left, top, width, height } = heatArea(found);
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden">
      <canvas
        ref={canvas}
        width={found.columns}
        height={found.rows}
        data-testid="heatmap"
        role="img"
        aria-label="Where the model looks"
        className="absolute"
        style={{
          left: `${100 * left}%`,
          top: `${100 * top}%`,
          width: `${100 * width}%`,
          height: `${100 * height}%`,
        }}
      />
    </div>
  );
}

interface ControlsProps {
  model: Model;
  looking: Looking | undefined;
  found: Heatmap | undefined;
  error: string | undefined;
  strength: number;
  /** Whether the picture has a label that can be looked for. */
  labelled?: boolean;
  onLooking: (looking: Looking | undefined) => void;
  onStrength: (strength: number) => void;
}

const SELECT = "rounded-control min-w-0 cursor-pointer border border-edge bg-surface";

export function HeatControls({
  model,
  looking,
  found,
  error,
  strength,
  labelled = true,
  ...props
}: ControlsProps) {
  return (
    <section aria-label="Where it looks" className="mb-3 text-sm">
      <label className="flex cursor-pointer items-center gap-2" title="W">
        <input
          type="checkbox"
          checked={looking !== undefined}
          onChange={(event) => props.onLooking(event.target.checked ? FIRST_LOOK : undefined)}
          className="accent-choice"
        />
        Where it looks
      </label>
      {looking && (
        <div className="mt-1 grid grid-cols-[52px_1fr] items-center gap-x-2 gap-y-1">
          <span className="text-quiet">for</span>
          <ClassToLookFor
            model={model}
            value={looking.classId}
            labelled={labelled}
            onChange={(classId) => props.onLooking({ ...looking, classId })}
          />
          <span className="text-quiet">by</span>
          <select
            aria-label="By what"
            className={SELECT}
            value={looking.way}
            onChange={(event) => props.onLooking({ ...looking, way: event.target.value as Looking["way"] })}
          >
            <option value="gradients">the values of a layer</option>
            <option value="covering">covering parts of it</option>
          </select>
          {looking.way === "gradients" && found && (
            <>
              <span className="text-quiet">layer</span>
              <select
                aria-label="Of which layer"
                className={SELECT}
                value={looking.layer ?? found.layer ?? ""}
                onChange={(event) => props.onLooking({ ...looking, layer: event.target.value })}
              >
                {found.layers.map((name) => (
                  <option key={name}>{name}</option>
                ))}
              </select>
            </>
          )}
          <span className="text-quiet">strength</span>
          <input
            type="range"
            aria-label="Strength"
            min={0.1}
            max={1}
            step={0.05}
            value={strength}
            onChange={(event) => props.onStrength(Number(event.target.value))}
            className="min-w-0 accent-choice"
          />
          <span className="col-span-2">
            <HeatScale />
          </span>
          <p className="col-span-2 min-h-9" role="status" data-testid="heat-words">
            {error ?? (found ? heatWords(found, model) : "Looking …")}
          </p>
        </div>
      )}
    </section>
  );
}

interface ClassProps {
  model: Model;
  value: Looking["classId"];
  labelled?: boolean;
  onChange: (next: Looking["classId"]) => void;
}

/** For which class: the one that the model says, the picture's own, or any. */
export function ClassToLookFor({ model, value, labelled = true, onChange }: ClassProps) {
  return (
    <select
      aria-label="For which class"
      className={SELECT}
      value={value ?? 0}
      onChange={(event) =>
        onChange(event.target.value === "label" ? "label" : Number(event.target.value) || undefined)
      }
    >
      <option value={0}>what it says</option>
      {labelled && <option value="label">its label</option>}
      {model.classes.map((entry) => (
        <option key={entry.id} value={entry.id}>
          {entry.name}
        </option>
      ))}
    </select>
  );
}

/** What the colours mean. */
export function HeatScale() {
  const stops = [0, 0.25, 0.5, 0.75, 1].map((heat) => `rgb(${heatColour(heat).join(" ")})`);
  return (
    <span className="flex items-center gap-2 text-quiet">
      least
      <span className="h-2 flex-1" style={{ background: `linear-gradient(to right, ${stops.join(", ")})` }} />
      most
    </span>
  );
}
