/** The difference of two matrices: what became better is an open square with a plus or minus, what became worse a full one. */
import type { Comparison } from "../../api/client";
import { changedCells } from "../../domain/comparison";
import { plural } from "../../domain/words";

const SIDE = 260;
const LABELS = 78;
const FIGURES_FROM = 18;

export function ChangedMatrix({ found }: { found: Comparison }) {
  const [first, second] = found.runs;
  const count = found.classes.length;
  const side = SIDE / count;
  const cells = changedCells(found);
  const most = Math.max(1, ...cells.map((cell) => Math.abs(cell.change)));
  const every = Math.ceil(12 / side);
  const name = (place: number) => found.classes[place]?.name ?? "";
  return (
    <figure data-testid="changed-matrix">
      <figcaption className="text-sm">
        <b>
          What changed from run {first?.number} to run {second?.number}
        </b>{" "}
        <span className="text-quiet">true ↓ predicted →</span>
      </figcaption>
      <svg
        width={SIDE + LABELS + 10}
        height={SIDE + 54}
        role="img"
        aria-label={`${plural(cells.filter((cell) => !cell.better).length, "cell")} became worse, ${cells.filter((cell) => cell.better).length} better`}
      >
        <g transform={`translate(${LABELS}, 26)`}>
          <rect width={SIDE} height={SIDE} fill="none" stroke="var(--edge)" />
          {found.classes.map((entry, place) =>
            place % every ? null : (
              <g key={entry.id} className="fill-ink text-[11px]">
                <text x={-5} y={(place + 0.5) * side + 4} textAnchor="end">
                  {entry.name.slice(0, 12)}
                </text>
                <text x={(place + 0.5) * side} y={-6} textAnchor="middle">
                  {entry.sign}
                </text>
              </g>
            ),
          )}
          {cells.map((cell) => {
            const width = Math.max(3, Math.sqrt(Math.abs(cell.change) / most) * side * 0.9);
            const [x, y] = [(cell.predicted + 0.5) * side, (cell.truth + 0.5) * side];
            const words = `${cell.change > 0 ? "+" : "−"}${Math.abs(cell.change)}`;
            return (
              <g key={`${cell.truth}.${cell.predicted}`}>
                <title>
                  {`${words} ${name(cell.truth)} read as ${name(cell.predicted)}: ${cell.better ? "better" : "worse"}`}
                </title>
                <rect
                  x={x - width / 2}
                  y={y - width / 2}
                  width={width}
                  height={width}
                  fill={cell.better ? "var(--good-wash)" : "var(--wrong)"}
                  stroke={cell.better ? "var(--good)" : "var(--wrong)"}
                  strokeWidth={1.5}
                />
                {side >= FIGURES_FROM && (
                  <text
                    x={x}
                    y={y + 4}
                    textAnchor="middle"
                    className="fill-ink text-[11px] font-semibold"
                    stroke={cell.better ? "none" : "var(--ground)"}
                    strokeWidth={3}
                    paintOrder="stroke"
                  >
                    {words}
                  </text>
                )}
              </g>
            );
          })}
          <text x={0} y={SIDE + 18} className="fill-quiet text-[12px]">
            open: better; full: worse
          </text>
        </g>
      </svg>
    </figure>
  );
}
