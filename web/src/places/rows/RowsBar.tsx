/** The line of the Sift, and beside it what the field holds and what stands out in it. */
import { Link } from "react-router";
import type { Job } from "../../api/client";
import { useAddress, usePlace } from "../../app/context";
import { imbalance } from "../../domain/fieldRows";
import { arrivingWords } from "../../domain/jobs";
import { asksAboutRun } from "../../domain/siftLine";
import { plural } from "../../domain/words";
import { TestLook } from "../looks/TestLook";
import { SiftLine } from "./SiftLine";
import type { ShownField } from "./useShownField";

interface Props {
  shown: ShownField;
  chosen: number;
  arriving: Job | undefined;
  movesOn: boolean;
  onMovesOn: (now: boolean) => void;
}

export function RowsBar({ shown, chosen, arriving, movesOn, onMovesOn }: Props) {
  const { project, run } = usePlace();
  const [, setAddress] = useAddress();
  const { asked, group, sift, field, data, total, looking } = shown;
  return (
    <div className="flex items-center gap-3 border-b border-hairline px-3 py-1">
      <SiftLine
        projectId={project.id}
        asked={asked}
        error={field.error}
        onSift={(next) => setAddress({ sift: next || undefined })}
        onLeave={() => document.querySelector<HTMLElement>("[data-testid=field]")?.focus()}
      />
      <span className="text-quiet" role="status" data-testid="chosen">
        {chosen
          ? `${plural(chosen, "picture")} chosen: 1–9, 0, L or drag to label`
          : `${data ? plural(total, "picture") : "…"}${arriving ? `; ${arrivingWords(arriving)}` : ""}`}
      </span>
      {run?.model?.frozen && (group === "predicted" || asksAboutRun(sift)) && (
        <TestLook
          model={run.model}
          look={looking.look}
          judging={looking.judging}
          onLook={() => void looking.take()}
        />
      )}
      {group === "class" && !sift && <Unequal shown={shown} />}
      <label
        className="flex items-center gap-1.5 text-quiet"
        title="After a picture was mended, go to the next one"
      >
        <input type="checkbox" checked={movesOn} onChange={(event) => onMovesOn(event.target.checked)} />
        Move on
      </label>
    </div>
  );
}

function Unequal({ shown }: { shown: ShownField }) {
  const { project } = usePlace();
  const unequal = imbalance(shown.rows);
  if (!unequal) return null;
  const { smallest, largest, times } = unequal;
  return (
    <Link
      to={`/p/${project.id}/runs?part=learning`}
      className="text-wrong hover:underline"
      title={`${smallest.name} has ${smallest.count}, ${largest.name} ${largest.count}. See what training can do about it`}
    >
      Classes unequal, 1 : {times.toFixed(times < 10 ? 1 : 0)}
    </Link>
  );
}
