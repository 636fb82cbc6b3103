/** The confusion matrix to take away: as a drawing, or its counts as a table. */
import type { JudgedSet, Judgement, Model } from "../../api/client";
import type { Labels } from "../../api/judgingQueries";
import { matrixCells, type Share } from "../../domain/matrix";
import { percent, setWords } from "../../domain/words";
import { buttonLook } from "../../parts/Button";
import { DrawingFile } from "../../parts/DrawingFile";
import type { Size } from "../../parts/useSize";

interface Props {
  model: Model;
  set: JudgedSet;
  look: number | undefined;
  judgement: Judgement;
  labels: Labels;
  order: readonly number[];
  share: Share;
  counts: boolean;
  across: boolean;
  onClose: () => void;
}

const FIRST = { width: 640, height: 660 };
/** The figure on a cell needs so many units. */
const FIGURE = 22;
const NAME = 11;
const LETTER = 6.2;

export function MatrixFile({ set, look, labels, onClose, ...drawn }: Props) {
  const { model } = drawn;
  const query = `?set=${set}&labels=${labels}${look === undefined ? "" : `&look=${look}`}`;
  return (
    <DrawingFile
      title="Confusion matrix as a file"
      name={`run-${model.run_number}-${set}-matrix`}
      first={FIRST}
      drawn={(size) => (
        <Drawing
          {...drawn}
          size={size}
          title={`Run ${model.run_number}, ${setWords(set)}${labels === "today" ? ", labels of today" : ""}`}
        />
      )}
      also={
        <a className={buttonLook()} href={`/api/models/${model.id}/matrix.csv${query}`} download>
          CSV
        </a>
      }
      onClose={onClose}
    />
  );
}

interface DrawingProps extends Omit<Props, "set" | "look" | "labels" | "onClose"> {
  size: Size;
  title: string;
}

function Drawing({ model, judgement, order, share, counts, across, size, title }: DrawingProps) {
  const cells = matrixCells(judgement, share);
  const count = order.length;
  const names = order.map((place) => model.classes[place]?.name ?? "");
  // Names stand upright beside the rows and turned over the columns; the longest decides.
  const room = Math.min(size.width / 3, 12 + LETTER * Math.max(...names.map((name) => name.length)));
  const [left, top] = [room + 18, room + 44];
  const side = Math.max(1, Math.min((size.width - left - 8) / count, (size.height - top - 8) / count));
  const every = Math.ceil(NAME / side);
  const [down, beside] = across ? ["predicted", "true"] : ["true", "predicted"];
  return (
    <svg width={size.width} height={size.height} role="img" aria-label={title} className="block">
      <text x={8} y={20} className="fill-ink text-[15px] font-semibold">
        {title}: {judgement.right} of {judgement.count} right
      </text>
      <text x={left + (side * count) / 2} y={40} textAnchor="middle" className="fill-quiet text-[12px]">
        {beside}
      </text>
      <text
        transform={`translate(12 ${top + (side * count) / 2}) rotate(-90)`}
        textAnchor="middle"
        className="fill-quiet text-[12px]"
      >
        {down}
      </text>
      {names.map((name, n) =>
        n % every ? null : (
          <g key={order[n]} className="fill-ink text-[11px]">
            <text x={left - 6} y={top + (n + 0.5) * side + 4} textAnchor="end">
              {name}
            </text>
            <text transform={`translate(${left + (n + 0.5) * side + 4} ${top - 6}) rotate(-90)`}>{name}</text>
          </g>
        ),
      )}
      <rect
        x={left}
        y={top}
        width={side * count}
        height={side * count}
        fill="none"
        stroke="var(--edge)"
        strokeWidth={1}
      />
      {order.flatMap((line, row) =>
        order.map((other, column) => {
          const [truth, predicted] = across ? [other, line] : [line, other];
          const cell = cells[truth * count + predicted];
          if (!cell?.count) return null;
          const whole =
            (share === "row" ? judgement.classes[truth]?.count : judgement.classes[predicted]?.predicted) ??
            0;
          const width = Math.max(1, cell.side * side * 0.92);
          const [x, y] = [left + (column + 0.5) * side, top + (row + 0.5) * side];
          const right = truth === predicted;
          return (
            <g key={`${truth}.${predicted}`}>
              <rect
                x={x - width / 2}
                y={y - width / 2}
                width={width}
                height={width}
                fill={right ? "var(--good)" : "var(--wrong)"}
                opacity={right ? 0.3 : 0.85}
              />
              {side >= FIGURE && (
                <text
                  x={x}
                  y={y + 4}
                  textAnchor="middle"
                  className={`text-[12px] font-semibold ${!right && cell.side > 0.55 ? "fill-surface" : "fill-ink"}`}
                >
                  {counts ? cell.count : percent(cell.count, whole).replace(" ", "")}
                </text>
              )}
            </g>
          );
        }),
      )}
    </svg>
  );
}
