/** A drawn sheet of tiles, as large as there is room, with the names of its rows and columns and shared labels. */
import type { ReactNode } from "react";
import type { DrawnSheet } from "../../api/client";

interface Props {
  sheet: DrawnSheet;
  heads: readonly ReactNode[];
  /** What stands above each column. */
  columns: readonly string[];
  /** Which column is the chosen one. */
  chosen: number;
  /** Words under a tile. */
  words?: ((row: number, column: number) => string) | undefined;
  label: string;
  testId: string;
}

const HEAD_WIDTH = 104;

export function TileSheet({ sheet, heads, columns, chosen, words, label, testId }: Props) {
  const { rows, columns: count } = sheet;
  const grid = { gridTemplateColumns: `${HEAD_WIDTH}px repeat(${count}, minmax(0, 1fr))` };
  // No larger than eight times its pixels, no higher than the room.
  const widest = HEAD_WIDTH + count * Math.min(2.2 * sheet.tile, 150);
  return (
    <figure
      className="@container w-full"
      style={{ maxWidth: widest }}
      aria-label={label}
      data-testid={testId}
    >
      <div className="grid text-sm text-quiet" style={grid}>
        <span />
        <Names columns={columns} chosen={chosen} />
      </div>
      <div className="grid" style={grid}>
        <div className="grid" style={{ gridTemplateRows: `repeat(${rows}, minmax(0, 1fr))` }}>
          {Array.from({ length: rows }, (_, row) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: rows have no other name
            <span key={row} className="flex items-center truncate pr-2 text-sm">
              {heads[row]}
            </span>
          ))}
        </div>
        <div className="relative" style={{ gridColumn: `2 / ${count + 2}` }}>
          <img
            src={`data:image/jpeg;base64,${sheet.image}`}
            alt={label}
            className="block w-full"
            style={{ imageRendering: "pixelated" }}
          />
          <Labels {...{ rows, count, chosen, words }} />
        </div>
      </div>
    </figure>
  );
}

function Names({ columns, chosen }: Pick<Props, "columns" | "chosen">) {
  return columns.map((name, column) => (
    <span
      key={name}
      className={`truncate px-0.5 text-center ${column === chosen ? "font-semibold text-choice" : ""}`}
    >
      {name}
    </span>
  ));
}

/** Over the picture: a frame around each tile, and what is to be said of it. */
function Labels({
  rows,
  count,
  chosen,
  words,
}: Pick<Props, "chosen" | "words"> & { rows: number; count: number }) {
  return (
    <div
      className="absolute inset-0 grid"
      style={{
        gridTemplateColumns: `repeat(${count}, minmax(0, 1fr))`,
        gridTemplateRows: `repeat(${rows}, minmax(0, 1fr))`,
      }}
    >
      {Array.from({ length: rows * count }, (_, place) => {
        const row = Math.floor(place / count);
        const column = place % count;
        const said = words?.(row, column);
        return (
          <span
            // biome-ignore lint/suspicious/noArrayIndexKey: tiles have no other name
            key={place}
            className={`flex min-w-0 items-end border-2 ${column === chosen ? "border-choice" : "border-surface"}`}
          >
            {said && (
              <span className="w-full truncate bg-surface/85 px-1 text-[11px]" title={said}>
                {said}
              </span>
            )}
          </span>
        );
      })}
    </div>
  );
}
