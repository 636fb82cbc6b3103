/** All classes ranked on one common ruler. */
import type { ClassOf, Model } from "../api/client";
import { colourPlace } from "../domain/classColour";
import type { Ranked } from "../domain/ranking";
import { ClassSign } from "./ClassSign";

interface Props {
  order: readonly Ranked[];
  /** The sign of a class by its place, and where its colour stands. */
  sign: (place: number) => Sign;
  /** The colour of a bar. */
  colour: (entry: Ranked, rank: number) => string;
  /** Said behind the name of a class. */
  note?: (entry: Ranked) => string;
}

export interface Sign {
  readonly place: number | undefined;
  readonly sign: string;
}

/** Signs as a model knows them, on today's colours of its classes. */
export function signsOf(model: Model, classes: readonly ClassOf[]): (place: number) => Sign {
  return (place) => ({
    place: colourPlace(classes.find((now) => now.id === model.classes[place]?.id)),
    sign: model.classes[place]?.sign ?? "",
  });
}

export function ProbabilityBars({ order, sign, colour, note }: Props) {
  return (
    <ul>
      {order.map((entry, rank) => (
        <li key={entry.name} className="mb-2" data-class={entry.name} data-p={entry.p.toFixed(3)}>
          <div className="flex justify-between">
            <span>
              <ClassSign {...sign(entry.place)} /> {entry.name}
              <b>{note?.(entry)}</b>
            </span>
            <span className="font-mono">{entry.p.toFixed(3)}</span>
          </div>
          <div className="h-2.5 bg-sunken">
            <div className="h-full" style={{ width: `${entry.p * 100}%`, background: colour(entry, rank) }} />
          </div>
        </li>
      ))}
    </ul>
  );
}

/** What the lengths of the bars mean. */
export function RulerScale() {
  return (
    <div className="flex justify-between font-mono text-xs text-quiet">
      <span>0</span>
      <span>0.5</span>
      <span>1</span>
    </div>
  );
}
