/** What a plan costs, as a picture: a bar for each rung, as wide as trials reach it and as high as its epochs. */
import type { RunPlan } from "../../api/client";
import { costWords, type PlanKind } from "../../domain/plans";
import { duration, plural } from "../../domain/words";

const WIDTH = 350;
const ROW = 26;

export function CostPicture({ cost, kind }: { cost: RunPlan["cost"]; kind: PlanKind }) {
  const most = Math.max(1, ...cost.at_rungs);
  return (
    <section
      aria-label="What it costs"
      data-testid="plan-cost"
      className="mt-3 border-t border-hairline pt-3"
    >
      <p className="mb-2">
        <b>{costWords(cost)}</b>
        {cost.one_s !== null && <span className="text-quiet">; one alone {duration(cost.one_s)}</span>}
      </p>
      {kind === "trials" && (
        <svg
          width={WIDTH}
          height={ROW * cost.rungs.length}
          role="img"
          aria-label={cost.rungs.map((epochs, n) => `${cost.at_rungs[n]} to epoch ${epochs}`).join(", ")}
        >
          {cost.rungs.map((epochs, n) => {
            const count = cost.at_rungs[n] ?? 0;
            const width = Math.max(3, (count / most) * (WIDTH - 130));
            return (
              <g key={epochs} transform={`translate(0, ${n * ROW})`}>
                <rect
                  y={3}
                  width={width}
                  height={ROW - 8}
                  fill="var(--choice)"
                  opacity={0.35 + 0.65 * ((n + 1) / cost.rungs.length)}
                />
                <text x={width + 8} y={ROW / 2 + 4} className="fill-ink text-[13px]">
                  {n === cost.rungs.length - 1 && n > 0 ? "about " : ""}
                  {count} to epoch {epochs}
                </text>
              </g>
            );
          })}
        </svg>
      )}
      {kind === "trials" && cost.rungs.length > 1 && (
        <p className="mt-1 text-sm text-quiet">
          Without dropping it would be {plural(cost.trials * (cost.rungs.at(-1) ?? 0), "epoch")}.
        </p>
      )}
      {cost.seconds === null && (
        <p className="mt-1 text-sm text-quiet">
          How fast this machine is will be known after its first training.
        </p>
      )}
    </section>
  );
}
