/** The confusion of all folds together: squares as large as the share of their row, the wrong ones loud. */
import type { RunPlan } from "../../api/client";
import { percent, score } from "../../domain/words";

const CELL = 46;
const LEFT = 130;
const TOP = 78;

interface Props {
  confusion: readonly (readonly number[])[];
  recalls: readonly (number | null)[];
  classes: RunPlan["classes"];
}

export function FoldMatrix({ confusion, recalls, classes }: Props) {
  const wrong = confusion.flatMap((row, n) => row.filter((_, m) => m !== n)).reduce((sum, x) => sum + x, 0);
  const all = confusion.flat().reduce((sum, x) => sum + x, 0);
  return (
    <figure data-testid="fold-matrix">
      <figcaption className="mb-1">
        <b>
          {wrong.toLocaleString("en")} of {all.toLocaleString("en")} answers wrong
        </b>
        , each by a model that had not seen its picture
      </figcaption>
      <svg
        width={LEFT + CELL * classes.length + 60}
        height={TOP + CELL * classes.length + 8}
        role="img"
        aria-label={`Confusion over all folds: ${wrong} of ${all} wrong`}
      >
        <text x={LEFT} y={14} className="fill-quiet text-[12px]">
          predicted →
        </text>
        <text x={4} y={TOP - 8} className="fill-quiet text-[12px]">
          true ↓
        </text>
        <text x={LEFT + CELL * classes.length + 8} y={TOP - 8} className="fill-quiet text-[12px]">
          found
        </text>
        {classes.map((entry, n) => (
          <text
            key={entry.id}
            transform={`translate(${LEFT + CELL * n + CELL / 2}, ${TOP - 6}) rotate(-38)`}
            className="fill-ink text-[13px]"
          >
            {entry.name}
          </text>
        ))}
        {confusion.map((row, n) => {
          const whole = row.reduce((sum, x) => sum + x, 0);
          const name = classes[n]?.name ?? "";
          return (
            <g key={classes[n]?.id} transform={`translate(0, ${TOP + CELL * n})`}>
              <text x={LEFT - 8} y={CELL / 2 + 4} textAnchor="end" className="fill-ink text-[13px]">
                {name}
              </text>
              {row.map((count, m) => {
                const side = Math.sqrt(count / Math.max(1, whole)) * (CELL - 6);
                const right = n === m;
                return (
                  <g key={classes[m]?.id} transform={`translate(${LEFT + CELL * m}, 0)`}>
                    <title>{`${count} ${name} read as ${classes[m]?.name}, ${percent(count, whole)} of its row`}</title>
                    <rect width={CELL} height={CELL} fill="var(--surface)" stroke="var(--hairline)" />
                    <rect
                      x={(CELL - side) / 2}
                      y={(CELL - side) / 2}
                      width={side}
                      height={side}
                      fill={right ? "var(--sunken)" : "var(--wrong)"}
                      opacity={right ? 1 : 0.75}
                    />
                    {count > 0 && (
                      <text
                        x={CELL / 2 + (side < 20 ? side / 2 + 3 : 0)}
                        y={CELL / 2 + 4}
                        textAnchor={side < 20 ? "start" : "middle"}
                        className="fill-ink text-[12px]"
                      >
                        {count}
                      </text>
                    )}
                  </g>
                );
              })}
              <text x={LEFT + CELL * classes.length + 8} y={CELL / 2 + 4} className="fill-ink text-[13px]">
                {score(recalls[n])}
              </text>
            </g>
          );
        })}
      </svg>
    </figure>
  );
}
