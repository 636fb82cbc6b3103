import type { Outcome, Run } from "../../api/client";
import { ClassSign } from "../../parts/ClassSign";
import { Sheet } from "../../parts/Sheet";

/** One judged picture enlarged, with every class's probability on one ruler. */
export function JudgedPicture({
  outcome,
  run,
  onClose,
}: {
  outcome: Outcome;
  run: Run;
  onClose: () => void;
}) {
  const order = run.classes
    .map((entry, place) => ({ ...entry, p: outcome.probabilities[place] ?? 0 }))
    .sort((a, b) => b.p - a.p);
  return (
    <Sheet title={outcome.name} open wide onClose={onClose}>
      <div className="flex gap-6">
        <img
          src={`/api/originals/${outcome.sha256}`}
          alt={outcome.name}
          className="h-[380px] w-[380px] bg-sunken object-contain"
          style={{ imageRendering: "pixelated" }}
        />
        <ul className="flex-1">
          {order.map((entry, place) => (
            <li key={entry.id} className="mb-1.5">
              <div className="flex justify-between">
                <span>
                  <ClassSign
                    place={run.classes.findIndex((item) => item.id === entry.id)}
                    sign={entry.sign}
                  />{" "}
                  {entry.name}
                  {entry.id === outcome.true_class && <b> (true)</b>}
                </span>
                <span className="font-mono">{entry.p.toFixed(3)}</span>
              </div>
              <div className="h-2 bg-sunken">
                <div
                  className="h-full"
                  style={{
                    width: `${entry.p * 100}%`,
                    background:
                      entry.id === outcome.true_class
                        ? "var(--good)"
                        : place === 0
                          ? "var(--wrong)"
                          : "var(--edge)",
                  }}
                />
              </div>
            </li>
          ))}
        </ul>
      </div>
    </Sheet>
  );
}
