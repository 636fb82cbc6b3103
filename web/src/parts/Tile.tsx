/** One picture of the field: its thumbnail and, from 32 pixels on, its foot with class sign and set texture. */
import { memo } from "react";
import type { ClassOf, Picture } from "../api/client";
import { classColour, signColour } from "../domain/classColour";
import { FOOT_HEIGHT, SMALLEST_WITH_SIGN, type TileSize } from "../domain/field";
import { SHEET_COLUMNS, type SheetPlace } from "../domain/sheets";

interface Props {
  picture: Picture;
  entry: ClassOf | undefined;
  size: TileSize;
  sheet: SheetPlace | undefined;
  chosen: boolean;
  focused: boolean;
  left: number;
  index: number;
}

export function tileWords(picture: Picture, entry: ClassOf | undefined): string {
  return `${picture.name}, ${entry?.name ?? "unlabelled"}, ${picture.set_name ?? "in no set"}`;
}

function TileDrawing({ picture, entry, size, sheet, chosen, focused, left, index }: Props) {
  const foot = FOOT_HEIGHT[size];
  const set =
    picture.set_name === "validation" ? "foot-validation" : picture.set_name === "test" ? "foot-test" : "";
  return (
    <div
      role="gridcell"
      id={`tile-${picture.id}`}
      data-index={index}
      data-picture={picture.id}
      aria-selected={chosen}
      aria-label={tileWords(picture, entry)}
      title={size >= SMALLEST_WITH_SIGN ? tileWords(picture, entry) : undefined}
      className={`absolute top-0 overflow-hidden bg-sunken select-none ${
        chosen ? "z-10 outline-2 outline-choice" : ""
      } ${focused ? "z-20 outline-2 outline-offset-1 outline-ink" : ""}`}
      style={{ left, width: size, height: size + foot }}
    >
      {sheet ? (
        <span
          className="absolute inset-x-0 top-0"
          style={{
            height: size,
            backgroundImage: `url("${sheet.url}")`,
            backgroundSize: `${SHEET_COLUMNS * size}px auto`,
            backgroundPosition: `-${sheet.column * size}px -${sheet.row * size}px`,
          }}
        />
      ) : (
        <img
          src={`/api/thumbnails/${picture.sha256}`}
          alt=""
          draggable={false}
          loading="lazy"
          decoding="async"
          className="absolute inset-x-0 top-0 object-contain"
          style={{ width: size, height: size }}
        />
      )}
      {foot > 0 && (
        <span
          className="absolute inset-x-0 bottom-0 flex items-center"
          style={{ height: foot, backgroundColor: classColour(entry?.place) }}
        >
          {size >= SMALLEST_WITH_SIGN && (
            <span
              className="h-full px-1 text-[10px] leading-none font-bold"
              style={{
                color: signColour(entry?.place),
                lineHeight: `${foot}px`,
              }}
            >
              {entry?.sign ?? "–"}
            </span>
          )}
          <span className={`h-full flex-1 ${set}`} />
        </span>
      )}
      {chosen && <span className="absolute inset-0 bg-choice/25" />}
    </div>
  );
}

export const Tile = memo(TileDrawing);
