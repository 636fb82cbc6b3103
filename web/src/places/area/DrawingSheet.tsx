/** The sheet on which an area is drawn: what is drawn on one picture is seen on all. */
import type { AreaSample } from "../../api/client";
import { areaFrom, areaWords } from "../../domain/area";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { useSize } from "../../parts/useSize";
import { AreaTile } from "./AreaTile";
import type { AreaDraft } from "./useAreaDraft";

interface Props {
  pictures: readonly AreaSample[];
  draft: AreaDraft;
  /** It is drawn for these very pictures. */
  own: boolean;
  onOthers: () => void;
}

export function DrawingSheet({ pictures, draft, own, onOthers }: Props) {
  const [place, size] = useSize();
  const columns = Math.min(pictures.length, 4);
  const rows = Math.min(3, Math.ceil(pictures.length / columns));
  const { width, height } = size ?? { width: 0, height: 0 };
  const room = [
    Math.max(80, Math.floor((width - 12 * (columns - 1)) / columns)),
    Math.max(80, Math.floor((height - 8) / rows) - 24),
  ] as const;
  return (
    <div className="flex h-full flex-col">
      <div className="mb-1 flex items-center gap-3">
        <p className="text-quiet">
          {own
            ? `${plural(pictures.length, "picture")} of those chosen: bright is what counts.`
            : "Bright is what counts: the same part of each, so that it can be seen whether it fits them all."}
        </p>
        {!own && (
          <Button className="ml-auto" onClick={onOthers}>
            Other pictures
          </Button>
        )}
      </div>
      <div
        ref={place}
        className="grid min-h-0 flex-1 content-start gap-x-3 gap-y-1"
        style={{ gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))` }}
        data-testid="area-sheet"
      >
        {width > 0 &&
          pictures.map((picture) => {
            const apart = picture.own && !own;
            const area = apart ? areaFrom(picture.area) : draft.area;
            return (
              <AreaTile
                key={picture.id}
                picture={picture}
                room={room}
                area={area}
                draft={apart ? undefined : draft}
                words={apart ? `its own: ${areaWords(area)}` : picture.name}
              />
            );
          })}
      </div>
    </div>
  );
}
