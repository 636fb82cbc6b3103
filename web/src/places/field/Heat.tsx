/** Where the model looks: laid over the picture of a Close-up, and how it is asked for. */
import { useEffect, useRef, useState } from "react";
import type { Heatmap, Model } from "../../api/client";
import { FIRST_LOOK, type Looking } from "../../api/judgingQueries";
import { heatArea, heatColour, heatPixels, heatWords } from "../../domain/heat";

/** What is asked of heatmaps; it stays from picture to picture. */
export function useLooking() {
  const [looking, setLooking] = useState<Looking>();
  const [strength, setStrength] = useState(0.7);
  const toggle = () => setLooking((now) => (now ? undefined : FIRST_LOOK));
  return { looking, setLooking, strength, setStrength, toggle };
}

/** What is asked, and what was answered. */
export interface Heat extends ReturnType<typeof useLooking> {
  readonly found: { readonly data: Heatmap | undefined; readonly error: Error | null };
}

/** Over the picture, as large as it; clipped by it. */
export function HeatOverlay({ heat }: { heat: Heat }) {
  const { looking, found, strength } = heat;
  return looking && found.data ? <Overlay found={found.data} strength={strength} /> : null;
}

function Overlay({ found, strength }: { found: Heatmap; strength: number }) {
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
  heat: Heat;
  /** Whether the picture has a label that can be looked for. */
  labelled?: boolean;
}

const SELECT = "rounded-control min-w-0 cursor-pointer border border-edge bg-surface";

export function HeatControls({ model, heat, labelled = true }: ControlsProps) {
  const { looking, setLooking, strength, found } = heat;
  return (
    <section aria-label="Where it looks" className="mb-3 text-sm">
      <label className="flex cursor-pointer items-center gap-2" title="W">
        <input
          type="checkbox"
          checked={looking !== undefined}
          onChange={(event) => setLooking(event.target.checked ? FIRST_LOOK : undefined)}
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
            onChange={(classId) => setLooking({ ...looking, classId })}
          />
          <span className="text-quiet">by</span>
          <select
            aria-label="By what"
            className={SELECT}
            value={looking.way}
            onChange={(event) => setLooking({ ...looking, way: event.target.value as Looking["way"] })}
          >
            <option value="gradients">the values of a layer</option>
            <option value="covering">covering parts of it</option>
          </select>
          {looking.way === "gradients" && found.data && (
            <>
              <span className="text-quiet">layer</span>
              <select
                aria-label="Of which layer"
                className={SELECT}
                value={looking.layer ?? found.data.layer ?? ""}
                onChange={(event) => setLooking({ ...looking, layer: event.target.value })}
              >
                {found.data.layers.map((name) => (
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
            onChange={(event) => heat.setStrength(Number(event.target.value))}
            className="min-w-0 accent-choice"
          />
          <span className="col-span-2">
            <HeatScale />
          </span>
          <p className="col-span-2 min-h-9" role="status" data-testid="heat-words">
            {found.error?.message ?? (found.data ? heatWords(found.data, model) : "Looking …")}
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
