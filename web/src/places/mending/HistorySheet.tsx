/** The history: what changed, when, in which window and how many; each step can be opened in the Sift. */
import { useState } from "react";
import { type Action, type ClassOf, windowId } from "../../api/client";
import { useHistory } from "../../api/queries";
import { moment, plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Sheet } from "../../parts/Sheet";
import { Failed, Reading } from "../../parts/States";

interface Props {
  projectId: number;
  classes: readonly ClassOf[];
  /** The one picture that is chosen, whose steps alone can be shown. */
  picture: { id: number; only: boolean } | undefined;
  onOnly: (only: boolean) => void;
  onShow: (step: number) => void;
  onUndo: () => void;
  onRedo: () => void;
  onClose: () => void;
}

export function HistorySheet({
  projectId,
  classes,
  picture,
  onOnly,
  onShow,
  onUndo,
  onRedo,
  onClose,
}: Props) {
  const [classId, setClassId] = useState<number>();
  const history = useHistory(projectId, {
    ...(picture?.only ? { picture: picture.id } : {}),
    ...(classId ? { class: classId } : {}),
  });
  return (
    <Sheet title="History" open wide onClose={onClose}>
      <div className="mb-3 flex items-center gap-2">
        <Button onClick={onUndo}>Undo</Button>
        <Button onClick={onRedo}>Redo</Button>
        <OfClass classes={classes} chosen={classId} onChoose={setClassId} />
        {picture && (
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={picture.only}
              onChange={(event) => onOnly(event.target.checked)}
            />
            only of the chosen picture
          </label>
        )}
      </div>
      {history.isPending && <Reading what="the history" />}
      {history.isError && <Failed error={history.error} onRetry={() => void history.refetch()} />}
      {history.data?.length === 0 && (
        <p className="text-quiet">
          {classId || picture?.only ? "Nothing was done to it." : "Nothing has been changed yet."}
        </p>
      )}
      <ol data-testid="history">
        {history.data?.map((step) => (
          <Step key={step.id} step={step} onShow={onShow} />
        ))}
      </ol>
    </Sheet>
  );
}

interface OfClassProps {
  classes: readonly ClassOf[];
  chosen: number | undefined;
  onChoose: (classId: number | undefined) => void;
}

/** The class whose steps alone are shown. */
function OfClass({ classes, chosen, onChoose }: OfClassProps) {
  return (
    <label className="ml-auto flex min-w-0 items-center gap-2">
      Steps of
      <select
        value={chosen ?? ""}
        onChange={(event) => onChoose(Number(event.target.value) || undefined)}
        className="rounded-control max-w-[260px] min-w-0 border border-edge bg-surface px-1.5 py-0.5"
      >
        <option value="">all classes</option>
        {classes.map((entry) => (
          <option key={entry.id} value={entry.id}>
            {entry.name}
          </option>
        ))}
      </select>
    </label>
  );
}

function Step({ step, onShow }: { step: Action; onShow: (step: number) => void }) {
  return (
    <li className="flex items-baseline gap-3 border-t border-hairline py-1">
      <time dateTime={step.done_at} className="w-36 text-sm text-quiet">
        {moment(step.done_at)}
      </time>
      <span className="min-w-0 flex-1 wrap-anywhere">{step.summary}</span>
      <span className="w-28 text-sm text-quiet">
        {step.window === windowId ? "this window" : step.window ? "another window" : ""}
      </span>
      <span className="w-40 text-right">
        {step.pictures > 0 && (
          <Button kind="bare" onClick={() => onShow(step.id)}>
            Show {plural(step.pictures, "picture")}
          </Button>
        )}
      </span>
    </li>
  );
}
