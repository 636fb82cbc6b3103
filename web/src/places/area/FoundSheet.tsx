/** What stands out of many pictures, the doubtful ones first; those that are wrong are drawn by hand. */
import type { AreaSample } from "../../api/client";
import { type Area, areaWords, type Box, byDoubt, doubtWords } from "../../domain/area";
import { AreaOverlay } from "../../parts/AreaOverlay";
import { Button } from "../../parts/Button";
import { ProgressBar } from "../../parts/ProgressBar";
import { Failed } from "../../parts/States";
import { fitted } from "./AreaTile";
import type { Finding } from "./useFinding";

interface Props {
  pictures: readonly AreaSample[];
  finding: Finding;
  area: Area;
  chosen: ReadonlySet<number>;
  onToggle: (id: number) => void;
  onOthers: () => void;
  onDraw: () => void;
}

const ROOM = [132, 112] as const;

export function FoundSheet({ pictures, finding, area, chosen, onToggle, onOthers, onDraw }: Props) {
  const { found, of, going, error, stop } = finding;
  if (error) return <Failed error={error} onRetry={onOthers} />;
  const byId = new Map(pictures.map((picture) => [picture.id, picture]));
  return (
    <>
      <div className="mb-2 flex h-8 items-center gap-3">
        <p role="status" data-testid="found-words">
          {going ? `${found.length} of ${of} looked at` : doubtWords(found)}
        </p>
        {going ? (
          <>
            <div className="w-40">
              <ProgressBar label="Looking for what stands out" done={found.length} total={of} />
            </div>
            <Button onClick={stop}>Stop</Button>
          </>
        ) : (
          <Button onClick={onOthers}>Other pictures</Button>
        )}
        <Button className="ml-auto" disabled={!chosen.size} onClick={onDraw}>
          Draw on {chosen.size || "the"} chosen
        </Button>
      </div>
      <ul className="grid grid-cols-[repeat(auto-fill,140px)] gap-x-2 gap-y-1" aria-label="What stands out">
        {byDoubt(found).map((entry) => {
          const picture = byId.get(entry.picture_id);
          if (!picture) return null;
          const shown: Area = picture.own
            ? area
            : { ...area, keep: (entry.box as unknown as Box) ?? null, margin: null };
          return (
            <li key={entry.picture_id}>
              <FoundTile
                picture={picture}
                area={shown}
                why={picture.own ? "has its own" : entry.why}
                chosen={chosen.has(picture.id)}
                onToggle={() => onToggle(picture.id)}
              />
            </li>
          );
        })}
      </ul>
    </>
  );
}

function FoundTile(props: {
  picture: AreaSample;
  area: Area;
  why: string;
  chosen: boolean;
  onToggle: () => void;
}) {
  const { picture, area, why, chosen } = props;
  const [width, height] = fitted(picture, ROOM);
  return (
    <button
      type="button"
      aria-pressed={chosen}
      title={`${picture.name}: ${why || areaWords(area)}`}
      onClick={props.onToggle}
      className={`flex w-[140px] cursor-pointer flex-col items-center p-1 ${chosen ? "outline-2 outline-choice" : "hover:bg-sunken"}`}
    >
      <span className="flex items-center" style={{ height: ROOM[1] }}>
        <span className="relative block" style={{ width, height }}>
          <img src={`/api/thumbnails/${picture.sha256}`} alt="" loading="lazy" className="size-full" />
          <AreaOverlay area={area} />
        </span>
      </span>
      <span className={`w-full truncate text-center text-xs ${why ? "text-wrong" : "text-quiet"}`}>
        {why || "clear"}
      </span>
    </button>
  );
}
