/** All classes ranked on one common ruler. */
import type { ClassOf, Run } from "../api/client";
import { colourPlace } from "../domain/classColour";
import type { Ranked } from "../domain/ranking";
import { ClassSign } from "./ClassSign";

interface Props {
  order: readonly Ranked[];
  run: Run;
  /** Today's classes: their colours are shown. */
  classes: readonly ClassOf[];
  /** The colour of a bar. */
  colour: (entry: Ranked, rank: number) => string;
  /** Said behind the name of a class. */
  note?: (entry: Ranked) => string;
}

export function ProbabilityBars({ order, run, classes, colour, note }: Props) {
  return (
    <ul>
      {order.map((entry, rank) => (
        <li key={entry.name} className="mb-2" data-class={entry.name} data-p={entry.p.toFixed(3)}>
          <div className="flex justify-between">
            <span>
              <ClassSign
                place={colourPlace(classes.find((now) => now.id === run.classes[entry.place]?.id))}
                sign={run.classes[entry.place]?.sign ?? ""}
              />{" "}
              {entry.name}
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
